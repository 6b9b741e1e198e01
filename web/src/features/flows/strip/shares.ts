/** A share of traffic as people say it: a small fraction, else a percentage. */
export function shareWords(share: number): string {
  if (share === 1) return 'all'
  for (const parts of [2, 3, 4, 5, 6, 8, 12, 16]) {
    const whole = share * parts
    if (Math.abs(whole - Math.round(whole)) < 1e-9) return `${Math.round(whole)}/${parts}`
  }
  return `${(share * 100).toFixed(1)}%`
}
