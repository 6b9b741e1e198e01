import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions } from '@headlessui/react'
import { useFound } from '../find/useFound'
import type { Found } from '../../api/types'
import { fieldStyle } from '../../ui/fields'

/** A source or destination, completed from names and addresses; anything may be typed. */
export function EndpointField({
  label,
  value,
  onChange,
}: {
  label: string
  value: string
  onChange: (value: string) => void
}) {
  const options = withTyped(value.trim(), useFound(value, { endpoints: true }).results)
  return (
    <label className="flex items-center gap-2 text-soft">
      {label}
      <Combobox value={value} onChange={(next: string | null) => next !== null && onChange(next)} immediate>
        {({ activeOption }) => (
          <>
            <ComboboxInput
              aria-label={label}
              onKeyDown={(event) => {
                const typed = value.trim()
                // A whole name needs no choosing: the question is asked at once.
                if (event.key !== 'Enter' || !options.some((item) => item.value === typed)) return
                if (activeOption !== null && activeOption !== typed) return
                event.preventDefault()
                event.currentTarget.form?.requestSubmit()
              }}
              autoComplete="off"
              spellCheck={false}
              placeholder="device or address"
              onChange={(event) => onChange(event.target.value)}
              className={`${fieldStyle({ mono: true })} w-52`}
            />
            <ComboboxOptions
              anchor="bottom start"
              modal={false}
              className="z-20 mt-1 max-h-80 w-96 overflow-auto rounded-md border border-line bg-card p-1 text-ink shadow-lg empty:hidden"
            >
              {options.map((item) => (
                <ComboboxOption
                  key={`${item.kind} ${item.value} ${item.detail}`}
                  value={item.value}
                  title={`${item.title}: ${item.detail}`}
                  className="flex cursor-pointer items-baseline gap-2 rounded px-2 py-1 data-focus:bg-sunk"
                >
                  <span className="max-w-full shrink-0 font-mono font-semibold break-all">{item.title}</span>
                  <span className="truncate text-sm text-soft">{item.detail}</span>
                </ComboboxOption>
              ))}
            </ComboboxOptions>
          </>
        )}
      </Combobox>
    </label>
  )
}

const ADDRESS = /^(\d{1,3}(\.\d{1,3}){3}|[0-9a-f]*:[0-9a-f:]+)$/i

/** An address that nobody has may be asked too, so it must not turn into one that merely begins alike. */
export function withTyped(typed: string, found: Found[]): Found[] {
  if (!ADDRESS.test(typed) || found.some((item) => item.value === typed)) return found
  const own: Found = {
    kind: 'address',
    title: typed,
    detail: 'as typed',
    value: typed,
    device: null,
    file: null,
    line: null,
    column: null,
  }
  return [own, ...found]
}
