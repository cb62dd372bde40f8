/** A share in percent. */
export const percent = (share: number): string => `${(100 * share).toFixed(share < 0.0995 && share >= 0.005 ? 1 : 0)} %`

/** Q² with as many digits as its distance from 1 has, never rounded up to 1. */
export function q2Words(q2: number): string {
  if (q2 === 1) return 'Q² 1'
  let digits = 2
  for (let left = 1 - q2; left < 0.05 && digits < 5; left *= 10) digits++
  return `Q² ${(Math.floor(q2 * 10 ** digits) / 10 ** digits).toFixed(digits)}`
}
