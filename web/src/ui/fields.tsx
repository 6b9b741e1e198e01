import { Field, Input, Label } from '@headlessui/react'

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
    <Field className="mb-3">
      <Label className="mb-1 block font-semibold">{label}</Label>
      <Input
        {...rest}
        value={value}
        onChange={(event) => onChange(event.target.value)}
        className="w-full rounded-md border border-line bg-paper px-3 py-2"
      />
    </Field>
  )
}
