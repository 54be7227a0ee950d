import { allDraining, directoryLag, notGranted, poolExhausted } from './broker'
import type { Cause } from './cause'
import { codedCauses } from './coded'
import { containerDenied, containerFull, containerHeld, containerRetry, shareFull, shareUnreachable } from './containers'
import { hostCold, hostNotConfigured, hostOverloaded, hostSilent, leftoverProfile, temporaryProfile } from './hosts'
import { clockSkew, secondFactorSlow, secondFactorTimeout } from './signon'
import {
  autostartHeavy,
  bloatedProfile,
  firstLogon,
  logonStorm,
  packagesSlow,
  policyPartSlow,
  poorLine,
  scriptSlow,
  shareSlow,
  unknownWait,
} from './slow'

/** The catalogue. Order does not matter: the evidence decides. */
export const CAUSES: readonly Cause[] = [
  ...codedCauses,
  containerHeld,
  containerDenied,
  shareFull,
  containerFull,
  shareUnreachable,
  containerRetry,
  hostSilent,
  hostNotConfigured,
  leftoverProfile,
  temporaryProfile,
  hostOverloaded,
  hostCold,
  poolExhausted,
  allDraining,
  notGranted,
  directoryLag,
  clockSkew,
  secondFactorTimeout,
  secondFactorSlow,
  logonStorm,
  shareSlow,
  firstLogon,
  bloatedProfile,
  policyPartSlow,
  scriptSlow,
  packagesSlow,
  poorLine,
  autostartHeavy,
  unknownWait,
]

export const CAUSE_BY_ID: ReadonlyMap<string, Cause> = new Map(CAUSES.map((cause) => [cause.id, cause]))
export type { Cause, Clue, Remedy, RemedyKind } from './cause'
