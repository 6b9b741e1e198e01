import { failureWords } from '../../wording'
import { useFailing } from './useFailing'

/** Lets a thing fail in the lens, or work again; `what` names it where the place does not. */
export function FailButton({ name, what }: { name: string; what: string }) {
  const { failed, letFail, letWork } = useFailing()
  const isFailed = failed.includes(name)
  return (
    <button
      type="button"
      title={
        isFailed ? `${failureWords(name)} has failed in this lens` : `As if ${failureWords(name)} had failed`
      }
      className="rounded border border-edge px-1.5 text-sm whitespace-nowrap hover:bg-sunk"
      onClick={() => (isFailed ? letWork(name) : letFail(name))}
    >
      {isFailed ? `Let ${what} work again` : `Let ${what} fail`}
    </button>
  )
}
