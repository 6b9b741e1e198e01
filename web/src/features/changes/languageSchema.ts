import address from '../../../../docs/device-file.schema.json?url'
import type { Schema } from './completions'

let schema: Promise<Schema> | null = null

/** The JSON Schema of the language, fetched when somebody first edits a file. */
export function languageSchema(): Promise<Schema> {
  schema ??= fetch(address).then((response) => response.json() as Promise<Schema>)
  schema.catch(() => (schema = null))
  return schema
}
