import type {
  InputHTMLAttributes,
  KeyboardEventHandler,
  SelectHTMLAttributes,
  TextareaHTMLAttributes,
} from 'react'

/** How much room stands around the text: in a heading's line, in a bar, or in a form. */
type Look = { room?: 'dense' | 'bar' | 'wide'; mono?: boolean }

const ROOM = { dense: 'px-2 py-1', bar: 'px-2 py-1.5', wide: 'px-3 py-2' }

/** What every field looks like, for those that a library draws. */
export function fieldStyle({ room = 'bar', mono = false }: Look = {}): string {
  return `rounded-md border border-edge bg-paper text-ink ${ROOM[room]} ${mono ? 'font-mono' : ''}`
}

export function Input({ room, mono, className = '', ...rest }: InputHTMLAttributes<HTMLInputElement> & Look) {
  return <input className={`${fieldStyle({ room, mono })} ${className}`} {...rest} />
}

export function Select({
  room,
  mono,
  className = '',
  ...rest
}: SelectHTMLAttributes<HTMLSelectElement> & Look) {
  return <select className={`${fieldStyle({ room, mono })} ${className}`} {...rest} />
}

export function TextArea({
  room,
  mono,
  className = '',
  ...rest
}: TextareaHTMLAttributes<HTMLTextAreaElement> & Look) {
  return <textarea className={`${fieldStyle({ room, mono })} ${className}`} {...rest} />
}

type SearchInputProps = {
  /** What it is for, as “Filter files”. */
  label: string
  value: string
  onChange: (value: string) => void
  placeholder?: string
  className?: string
  onKeyDown?: KeyboardEventHandler
}

/** A field that narrows or searches what stands below it. */
export function SearchInput({ label, onChange, placeholder, ...rest }: SearchInputProps) {
  return (
    <Input
      type="search"
      aria-label={label}
      placeholder={placeholder ?? label.charAt(0).toLowerCase() + label.slice(1)}
      onChange={(event) => onChange(event.target.value)}
      room="dense"
      {...rest}
    />
  )
}

type NumberInputProps = {
  value: string
  onChange: (value: string) => void
  placeholder: string
  'aria-label'?: string
}

/** A field for a whole number, kept as the text that it is: what is no number is refused, not dropped. */
export function NumberInput({ onChange, ...rest }: NumberInputProps) {
  return (
    <Input
      inputMode="numeric"
      autoComplete="off"
      onChange={(event) => onChange(event.target.value)}
      mono
      className="w-20"
      {...rest}
    />
  )
}

type TextFieldProps = {
  label: string
  value: string
  onChange: (value: string) => void
  type?: string
  autoComplete?: string
  autoFocus?: boolean
  placeholder?: string
}

export function TextField({ label, value, onChange, ...rest }: TextFieldProps) {
  return (
    <label className="mb-3 block">
      <span className="mb-1 block font-semibold">{label}</span>
      <input
        {...rest}
        value={value}
        onChange={(event) => onChange(event.target.value)}
        className={`w-full ${fieldStyle({ room: 'wide' })}`}
      />
    </label>
  )
}
