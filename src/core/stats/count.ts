/** Made once: numbers are said in many sentences. */
const COUNTS = new Intl.NumberFormat('en-GB')

/** `28,340`: numbers inside sentences. */
export const countSay = (n: number): string => COUNTS.format(Math.round(n))
