import type { Completion } from '@codemirror/autocomplete'

/** As much of JSON Schema as the language's description uses. */
export type Schema = {
  title?: string
  description?: string
  type?: string | string[]
  properties?: Record<string, Schema>
  additionalProperties?: boolean | Schema
  required?: string[]
  items?: Schema
  anyOf?: Schema[]
  oneOf?: Schema[]
  enum?: unknown[]
  const?: unknown
}

/** Where in a file somebody types: the keys on the way (`-` for a list's item), and behind a key or not. */
export type Spot = { path: string[]; behind: string | null; siblings: string[] }

/** What may be typed at a place of a file: keys that do not stand there yet, or the words of a choice. */
export function completionsAt(language: Schema, text: string, offset: number): Completion[] {
  const kind = (language.oneOf ?? []).find((each) =>
    each.required?.some((key) => key !== 'routrel' && hasKey(text, key)),
  )
  if (!kind) return []
  const spot = spotAt(text, offset)
  let found: Schema[] = [kind]
  for (const step of spot.path) found = found.flatMap((schema) => below(schema, step))
  if (spot.behind !== null) {
    const key = spot.behind
    return unique(found.flatMap((schema) => below(schema, key)).flatMap(words))
  }
  return unique([
    ...(spot.path.at(-1) === '-' ? found.flatMap(words) : []),
    ...found.flatMap(alternatives).flatMap((schema) =>
      Object.entries(schema.properties ?? {})
        .filter(([key]) => !spot.siblings.includes(key))
        .map(([key, of]): Completion => ({
          label: key,
          apply: `${key}: `,
          type: 'property',
          info: of.description,
          boost: schema.required?.includes(key) ? 1 : 0,
        })),
    ),
  ])
}

const hasKey = (text: string, key: string) => new RegExp(`^${key}:`, 'm').test(text)

const alternatives = (schema: Schema): Schema[] =>
  schema.anyOf || schema.oneOf
    ? [...(schema.anyOf ?? []), ...(schema.oneOf ?? [])].flatMap(alternatives)
    : [schema]

function below(schema: Schema, step: string): Schema[] {
  return alternatives(schema).flatMap((each) => {
    if (step === '-') return each.items ? [each.items] : []
    const own = each.properties?.[step]
    if (own) return [own]
    return typeof each.additionalProperties === 'object' ? [each.additionalProperties] : []
  })
}

function words(schema: Schema): Completion[] {
  return alternatives(schema).flatMap((each) => {
    const values = each.enum ?? (each.type === 'boolean' ? [true, false] : [])
    return values.map((value): Completion => ({
      label: String(value),
      type: 'enum',
      info: schema.description,
    }))
  })
}

const unique = (options: Completion[]) => [...new Map(options.map((each) => [each.label, each])).values()]

type Level = { indent: number; step: string; keys: string[] }

const KEY = /^("[^"]*"|'[^']*'|[^\s:#'"[{][^:#]*?)\s*:(?:\s|$)/

/** Reads the lines above for what they open by their indents, and the line itself for open brackets. */
export function spotAt(text: string, offset: number): Spot {
  const lines = text.slice(0, offset).split('\n')
  const last = lines.pop() ?? ''
  const root: Level = { indent: -1, step: '', keys: [] }
  let open: Level[] = [root]
  for (const line of lines) open = opened(open, line).open
  const { open: here, column, rest } = opened(open, last, true)
  const key = KEY.exec(rest)?.[0]
  const path = (levels: Level[]) => levels.slice(1).map((level) => level.step)
  if (key === undefined && !/^[[{]/.test(rest)) {
    const around = here.filter((level) => level.indent < column)
    const siblings = [...(around.at(-1)?.keys ?? []), ...keysBelow(text.slice(offset), column)]
    return { path: path(around), behind: null, siblings }
  }
  const flow = inFlow(key === undefined ? rest : rest.slice(key.length))
  const around = path(here.filter((level) => level.indent < column))
  const behind = key === undefined ? null : named(key)
  if (!flow) return { path: around, behind, siblings: [] }
  return { ...flow, path: [...around, ...(behind === null ? [] : [behind]), ...flow.path] }
}

const named = (key: string) =>
  key
    .trim()
    .replace(/:$/, '')
    .trim()
    .replace(/^["']|["']$/g, '')

/** What is open once a line is read; of the line that is typed its own key is left to whoever asks. */
function opened(before: Level[], line: string, isTyped = false) {
  let column = line.length - line.trimStart().length
  let rest = line.trimStart()
  let open = before
  if (!isTyped && (!rest || rest.startsWith('#'))) return { open, column, rest }
  let dash: RegExpExecArray | null
  while ((dash = /^-(\s+|$)/.exec(rest))) {
    const at = column
    // A list may stand as far in as its key.
    open = open.filter((level) => level.indent < at || (level.indent === at && level.step !== '-'))
    open = [...open, { indent: at, step: '-', keys: [] }]
    column += dash[0].length
    rest = rest.slice(dash[0].length)
  }
  const key = isTyped ? null : KEY.exec(rest)
  if (key) {
    open = open.filter((level) => level.indent < column)
    open.at(-1)?.keys.push(named(key[0]))
    open = [...open, { indent: column, step: named(key[0]), keys: [] }]
  }
  return { open, column, rest }
}

/** Keys that stand further down, beside the one that is typed. */
function keysBelow(text: string, column: number): string[] {
  const keys: string[] = []
  for (const line of text.split('\n').slice(1)) {
    const indent = line.length - line.trimStart().length
    if (!line.trim() || indent > column) continue
    if (indent < column) break
    const key = KEY.exec(line.trimStart())
    if (key) keys.push(named(key[0]))
  }
  return keys
}

/** Where one is within brackets that are open at the end of a text; null where none is. */
function inFlow(text: string): Spot | null {
  const open: { list: boolean; key: string | null; keys: string[]; from: number }[] = []
  let quote = ''
  for (const [at, letter] of [...text].entries()) {
    const top = open.at(-1)
    if (quote) {
      if (letter === quote) quote = ''
    } else if (letter === '"' || letter === "'") quote = letter
    else if (letter === '{' || letter === '[')
      open.push({ list: letter === '[', key: null, keys: [], from: at + 1 })
    else if (letter === '}' || letter === ']') open.pop()
    else if (top && letter === ',') Object.assign(top, { key: null, from: at + 1 })
    else if (top && !top.list && letter === ':' && top.key === null && /\s|$/.test(text[at + 1] ?? ' ')) {
      top.key = named(text.slice(top.from, at))
      top.keys.push(top.key)
    }
  }
  const inner = open.at(-1)
  if (!inner) return null
  const path = open.flatMap((each) => {
    if (each.list) return ['-']
    return each === inner || each.key === null ? [] : [each.key]
  })
  return { path, behind: inner.list ? null : inner.key, siblings: inner.keys }
}
