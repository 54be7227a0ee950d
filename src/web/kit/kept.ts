import type { Directive } from 'vue'

/**
 * `v-kept="value"` on a field that tells what was typed only when it is left (`@change`): its value, without what `:value` does besides. That sets it at every
 * drawing of the page, also while somebody types; this only where the value has become another.
 */
export const vKept: Directive<HTMLInputElement | HTMLTextAreaElement, string | number> = {
  mounted(field, { value }) {
    field.value = String(value)
  },
  updated(field, { value, oldValue }) {
    const typing = document.activeElement === field
    if (field.value !== String(value) && !(typing && value === oldValue)) field.value = String(value)
  },
}
