import { useEffect, useState, type ButtonHTMLAttributes, type ReactNode } from 'react'
import { ApiError } from '../api/client'

/** A card with an optional heading. */
export function Panel({
  title,
  aside,
  children,
  className = '',
}: {
  title?: string
  aside?: ReactNode
  children: ReactNode
  className?: string
}) {
  return (
    <section className={`rounded-card border border-line bg-card p-3 ${className}`} aria-label={title}>
      {title && (
        <header className="mb-2 flex items-baseline justify-between gap-3">
          <h2 className="font-semibold text-ink">{title}</h2>
          {aside}
        </header>
      )}
      {children}
    </section>
  )
}

type ButtonProps = ButtonHTMLAttributes<HTMLButtonElement> & { tone?: 'main' | 'plain' | 'stop' }

export function Button({ tone = 'plain', className = '', ...rest }: ButtonProps) {
  const tones = {
    main: 'bg-act text-on-accent border-act font-semibold',
    plain: 'bg-card text-ink border-line hover:bg-sunk',
    stop: 'bg-card text-stop border-stop hover:bg-stop-wash',
  }
  return (
    <button
      type="button"
      className={`rounded-md border px-3 py-1.5 disabled:opacity-50 ${tones[tone]} ${className}`}
      {...rest}
    />
  )
}

/** Data as people read it: fixed width, so that 0 and O, 1 and l differ. */
export function Mono({ children, className = '' }: { children: ReactNode; className?: string }) {
  return <span className={`font-mono text-[0.92em] ${className}`}>{children}</span>
}

/** Says what went wrong and what to do; `what` says what has become of what was wanted. */
export function Problem({ error, what }: { error: unknown; what?: string }) {
  const known = error instanceof ApiError
  const text = error instanceof Error ? error.message : String(error)
  return (
    <div role="alert" className="rounded-card border border-stop bg-stop-wash p-3 text-ink">
      <strong className="text-stop">{known ? sentence(text) : 'The page failed: an internal error.'}</strong>{' '}
      {what && `${what} `}
      {known ? sentence(error.suggestion) : text}
    </div>
  )
}

export function sentence(text: string): string {
  if (!text) return ''
  const first = text.charAt(0).toUpperCase() + text.slice(1)
  return /[.?!]$/.test(first) ? first : `${first}.`
}

/** After so long one is told that it goes on. */
const LONG_MS = 5000

/** Says what is waited for; where it takes long, that it is still being worked on. */
export function Waiting({ what }: { what: string }) {
  const [long, setLong] = useState(false)
  useEffect(() => {
    const timer = setTimeout(() => setLong(true), LONG_MS)
    return () => clearTimeout(timer)
  }, [])
  return (
    <p role="status" className="p-4 text-soft">
      {what}…{long && ' This takes long; it goes on. A large network is computed once, then it is known.'}
    </p>
  )
}

/** A mark with a word; the colour only repeats what both say. */
export function Severity({ value }: { value: string }) {
  const looks: Record<string, string> = {
    error: 'border-stop text-stop',
    warning: 'border-warn text-warn',
    note: 'border-line text-soft',
  }
  const marks: Record<string, string> = { error: '✗', warning: '!', note: 'i' }
  return (
    <span className={`inline-flex items-center gap-1 whitespace-nowrap font-semibold ${looks[value] ?? ''}`}>
      <span
        aria-hidden
        className="inline-block w-4 rounded-sm border border-current text-center text-xs leading-4"
      >
        {marks[value] ?? '·'}
      </span>
      {value}
    </span>
  )
}
