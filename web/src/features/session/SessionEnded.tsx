import { Dialog, DialogPanel, DialogTitle } from '@headlessui/react'
import { useQueryClient } from '@tanstack/react-query'
import { setEnding, useEnding } from '../../api/ending'
import { sessionQuery } from '../../api/queries'
import { LoginForm } from './LoginForm'

/** The session ended while something was on the page: one logs in over it, and goes on where one was. */
export function SessionEnded({ username }: { username: string }) {
  const queries = useQueryClient()
  if (useEnding() !== 'ended') return null
  return (
    <Dialog open onClose={() => undefined} className="relative z-50">
      <div className="fixed inset-0 bg-ink/40" aria-hidden />
      <div className="fixed inset-0 grid place-items-center overflow-auto p-4">
        <DialogPanel className="w-full max-w-sm rounded-card border border-line bg-card p-5 text-ink shadow-2xl">
          <DialogTitle className="text-lg font-semibold">Your session has ended</DialogTitle>
          <p className="mt-1 mb-4">
            It was not used for long, or you logged out in another window. Log in to go on; what is on this
            page stays.
          </p>
          <LoginForm
            name={username}
            onDone={(session) => {
              setEnding('none')
              queries.setQueryData(sessionQuery.queryKey, session)
              // Another person may see other things.
              if (session.username !== username) void queries.resetQueries()
              else void queries.refetchQueries({ predicate: ({ state }) => state.status === 'error' })
            }}
          />
        </DialogPanel>
      </div>
    </Dialog>
  )
}
