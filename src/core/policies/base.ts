import { settingOf } from './catalogue'
import type { Values } from './set'
import { SETTING_TITLES, type BaseSettings, type FileRoaming } from './settings'

/** Parts of file roaming by their settings in the catalogue. */
const ROAMING: Readonly<Record<keyof FileRoaming, string>> = {
  groups: 'roamingGroups',
  localAdmins: 'roamingLocalAdmins',
  writeBack: 'roamingWriteBack',
  fetch: 'roamingFetch',
  existing: 'roamingExisting',
  startingProfile: 'roamingStart',
  afterLogoff: 'roamingAfterLogoff',
}

/** The settings that hosts fetch, as values of the catalogue. */
export function valuesOf({ fileRoaming, ...settings }: BaseSettings): Values {
  return { ...settings, ...Object.fromEntries(Object.entries(ROAMING).map(([part, id]) => [id, fileRoaming[part as keyof FileRoaming]])) }
}

const PLAIN_IDS = Object.keys(SETTING_TITLES).filter((id) => id !== 'fileRoaming')
/** What hosts fetch, from values of the catalogue; what is not set has its default. */
export function settingsOf(values: Values): BaseSettings {
  const value = (id: string) => values[id] ?? settingOf(id)?.default
  return {
    ...Object.fromEntries(PLAIN_IDS.map((id) => [id, value(id)])),
    fileRoaming: Object.fromEntries(Object.entries(ROAMING).map(([part, id]) => [part, value(id)])),
  } as unknown as BaseSettings
}
