/** A text as a name in an address or of a file: writing-values. */
export const dashed = (text: string) =>
  text
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-|-$/g, '')
