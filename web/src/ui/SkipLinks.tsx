/** What a press of Tab offers first: past everything that stands on every page, to what it is about. */
export function SkipLinks({ to }: { to: { id: string; label: string }[] }) {
  return (
    <nav aria-label="Skip" className="print:hidden">
      {to.map(({ id, label }) => (
        <button
          key={id}
          type="button"
          onClick={() => focusOn(id)}
          className="sr-only rounded-md bg-card px-3 py-1.5 text-ink focus:not-sr-only focus:fixed focus:top-2 focus:left-2 focus:z-50"
        >
          {label}
        </button>
      ))}
    </nav>
  )
}

/** What is walked through by keys is entered at its first stop. */
function focusOn(id: string) {
  const place = document.getElementById(id)
  const stop = place?.querySelector<HTMLElement>('[data-first-stop]') ?? place
  stop?.focus()
}
