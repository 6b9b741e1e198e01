/** Parts of which a share is told exactly; ways that part again and again come to more. */
const MOST_PARTS = 1024

/** A share of traffic as people say it: a fraction; percentages of several would not add up. */
export function shareWords(share: number): string {
  if (share === 1) return 'all'
  for (let parts = 2; parts <= MOST_PARTS; parts++) {
    const whole = Math.round(share * parts)
    if (whole > 0 && Math.abs(share * parts - whole) < 1e-9 * parts) return `${whole}/${parts}`
  }
  return `about ${(share * 100).toPrecision(2)}%`
}
