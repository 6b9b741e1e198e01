/** A number with what it counts: 1 link, 2 links. */
export const counted = (count: number, one: string, many = `${one}s`) =>
  `${count} ${count === 1 ? one : many}`
