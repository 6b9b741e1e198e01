import type { Edit } from '../../api/types'

/** An edit's place as one reads it out: the device or file, and the keys below it. */
export function placeWords(edit: Edit): { head: string; keys: string } {
  if (edit.operation === 'lines')
    return { head: edit.file, keys: edit.line === null ? 'the whole file' : `from line ${edit.line}` }
  if (edit.file) return { head: edit.file, keys: edit.at.join(' ') }
  return { head: edit.at[0] ?? '', keys: edit.at.slice(1).join(' ') }
}

/** What an edit does, in a few words: as a step of a change is called. */
export function editWords(edit: Edit): string {
  const { head, keys } = placeWords(edit)
  const what = `${head} ${keys}`
  switch (edit.operation) {
    case 'set':
      return `${what}: ${edit.value}`
    case 'add':
      return `${what}: ${edit.value} added`
    case 'remove':
      return `${what} removed`
    case 'move':
      return `${what} moved ${edit.before === null ? 'to the end' : `before ${edit.before}`}`
    case 'lines':
      return `lines of ${what}`
  }
}

/**
 * A change's edits with more of them behind. One that sets a place anew takes the place of the one that
 * set it before, and remembers what that one replaced; what comes back to that is no edit any more.
 */
export function withEdits(edits: Edit[], more: Edit[]): Edit[] {
  const made = [...edits]
  for (const edit of more) {
    const at = made.findLastIndex((each) => !each.off && isSamePlace(each, edit))
    const before = made[at]
    if (edit.operation !== 'set' || before?.operation !== 'set') {
      made.push(edit)
      continue
    }
    if (before.was === edit.value) made.splice(at, 1)
    else made[at] = { ...before, value: edit.value }
  }
  return made
}

const isSamePlace = (one: Edit, other: Edit) =>
  one.file === other.file && one.operation !== 'lines' && one.at.join('\n') === other.at.join('\n')

/** A conflict is carried over by replacing what stands there now. */
export function carriedOver(edit: Edit, now: string | null): Edit {
  return { ...edit, was: now }
}

/** A value as it stands in a file: in quotes where YAML would read something else in it. */
export function flowValue(text: string): string {
  const value = text.trim()
  if (/^[[{"']/.test(value) || /^[A-Za-z0-9_./+~^-][A-Za-z0-9_./+~^ -]*$/.test(value)) return value
  return JSON.stringify(value)
}

/** Keys and values as one item of a list; a key of keys is given as `match prefixes`. */
export function flowItem(values: Record<string, string>): string {
  type Tree = Map<string, string | Tree>
  const tree: Tree = new Map()
  for (const [path, text] of Object.entries(values)) {
    if (!text.trim()) continue
    const steps = path.split(' ')
    let node = tree
    for (const step of steps.slice(0, -1)) {
      const below = node.get(step)
      const next: Tree = below instanceof Map ? below : new Map()
      node.set(step, next)
      node = next
    }
    node.set(steps.at(-1) ?? path, text)
  }
  const written = (node: Tree): string =>
    `{${[...node].map(([key, value]) => `${key}: ${typeof value === 'string' ? flowValue(value) : written(value)}`).join(', ')}}`
  return written(tree)
}
