<script setup lang="ts">
import type { Settings } from '../../contract/other'
import { vKept } from '../kit/kept'

/** How an agent copies files for people without a container: the fields, for the policy and for trying a day. */
type FileRoaming = Settings['fileRoaming']
const roaming = defineModel<FileRoaming>({ required: true })
const set = <K extends keyof FileRoaming>(name: K, value: FileRoaming[K]) => {
  roaming.value = { ...roaming.value, [name]: value }
}
const picked = (event: Event) => (event.target as HTMLSelectElement).value as never
</script>

<template>
  <div class="fields">
    <label
      >For these groups, a comma between them (blank: everybody)
      <input
        class="form-control"
        v-kept="roaming.groups.join(', ')"
        @change="
          set(
            'groups',
            ($event.target as HTMLInputElement).value
              .split(',')
              .map((one) => one.trim())
              .filter((one) => one !== ''),
          )
        "
    /></label>
    <label
      >Local administrators of the host
      <select class="form-select" :value="roaming.localAdmins" @change="set('localAdmins', picked($event))">
        <option value="left out">are left out</option>
        <option value="served">are served too</option>
      </select></label
    >
    <label
      >Files are fetched
      <select class="form-select" :value="roaming.fetch" @change="set('fetch', picked($event))">
        <option value="on-demand">when they are opened</option>
        <option value="at-logon">all at logon</option>
      </select></label
    >
    <label
      >What changed is written back
      <select class="form-select" :value="roaming.writeBack" @change="set('writeBack', picked($event))">
        <option value="at-logoff">at logoff</option>
        <option value="during-session">during the session</option>
      </select></label
    >
    <label
      >A profile found on the host from before
      <select class="form-select" :value="roaming.existing" @change="set('existing', picked($event))">
        <option value="take in">is taken in</option>
        <option value="ignore">is left alone</option>
        <option value="remove">is removed</option>
      </select></label
    >
    <label
      >The local copy, after logoff
      <select class="form-select" :value="roaming.afterLogoff" @change="set('afterLogoff', picked($event))">
        <option value="delete">is deleted</option>
        <option value="leave">stays on the host</option>
      </select></label
    >
    <label
      >Newcomers begin with the profile at (blank: the host’s own)
      <input
        class="form-control mono"
        v-kept="roaming.startingProfile"
        placeholder="\\server\share\starting"
        @change="set('startingProfile', ($event.target as HTMLInputElement).value)"
    /></label>
  </div>
</template>

<style scoped>
.fields {
  display: grid;
  gap: 8px;
}
label {
  font-size: 12.5px;
  color: var(--ink-2);
}
</style>
