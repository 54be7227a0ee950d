import { LINE } from './line'
import { PROFILE } from './profile'
import { SESSION } from './session'
import type { Setting } from './setting'

export { AREAS, type Area, type Combine, type Setting, type ValueType } from './setting'

/** Every setting that a policy can set. */
export const CATALOGUE: readonly Setting[] = [...PROFILE, ...SESSION, ...LINE]
const byId = new Map(CATALOGUE.map((setting) => [setting.id, setting]))

/** The setting of that name; undefined where none is known. */
export const settingOf = (id: string): Setting | undefined => byId.get(id)
