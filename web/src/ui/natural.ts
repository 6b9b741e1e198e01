const COLLATOR = new Intl.Collator('en', { numeric: true })

/** Compares names as people sort them: mid-2 before mid-10. */
export const byName = (a: string, b: string): number => COLLATOR.compare(a, b)

/** Things in the order of their names. */
export const sortedByName = <Thing>(things: readonly Thing[], name: (thing: Thing) => string): Thing[] =>
  [...things].sort((a, b) => byName(name(a), name(b)))
