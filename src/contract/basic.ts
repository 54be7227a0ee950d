import { z } from 'zod'

/** As far as a date reaches on either side of 1970 (ECMA-262, 21.4.1.1). */
const FARTHEST_MS = 8.64e15

const moment = (number: z.ZodNumber) => number.min(-FARTHEST_MS).max(FARTHEST_MS).overwrite(Math.round)
/** Epoch milliseconds; parts of one are rounded. */
export const Moment = moment(z.number())
/** The same in an address. */
export const MomentText = moment(z.coerce.number())

/** The part of time that is asked for in an address: from the one moment on, and before the other. */
export const Window = z.object({ fromMs: MomentText.optional(), toMs: MomentText.optional() })

/** A figure that somebody measured. */
export const Measure = z.number().min(0).max(Number.MAX_SAFE_INTEGER)
export const Bytes = Measure.overwrite(Math.round)

const version = (number: z.ZodNumber) =>
  number
    .int()
    .min(0)
    .max(2 ** 31 - 1)
/** The number of a version of the policies; 0: of none yet. */
export const VersionNumber = version(z.number())
/** The same in an address. */
export const VersionText = version(z.coerce.number())
