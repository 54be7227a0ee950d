import { allDraining, directoryLag, notGranted, poolExhausted } from './broker'
import type { Cause } from './cause'
import { codedCauses } from './coded'
import { containerDenied, containerFull, containerHeld, shareFull, shareUnreachable } from './containers'
import { hostCold, hostNotConfigured, hostOverloaded, hostSilent, leftoverProfile, notInScope, temporaryProfile } from './hosts'
import { containerRetry, farShare, logonStorm, nearFull, scanner, shareSlow } from './shares'
import { alsoByOthers } from './others'
import { policyPartSlow, scriptSlow } from './part-slow'
import { clockSkew, secondFactorSlow, secondFactorTimeout } from './signon'
import { autostartHeavy, bloatedProfile, directorySlow, firstLogon, imageRegression, packagesSlow, poorLine, relayPath, unknownWait } from './slow'

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
  notInScope,
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
  farShare,
  nearFull,
  scanner,
  directorySlow,
  imageRegression,
  relayPath,
  firstLogon,
  bloatedProfile,
  policyPartSlow,
  scriptSlow,
  packagesSlow,
  poorLine,
  autostartHeavy,
  unknownWait,
].map(alsoByOthers)

export const CAUSE_BY_ID: ReadonlyMap<string, Cause> = new Map(CAUSES.map((cause) => [cause.id, cause]))
export type { Cause, Clue, Remedy, RemedyKind } from './cause'
