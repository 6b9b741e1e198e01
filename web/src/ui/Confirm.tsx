import { Dialog, DialogPanel, DialogTitle } from '@headlessui/react'
import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { Button, Problem } from './controls'

type ConfirmProps = {
  /** What is pressed first, and how it is called where its words alone do not tell. */
  label: string
  name?: string
  title: string
  /** What is lost. */
  text: string
  /** The button that does it. */
  action: string
  onConfirm: () => Promise<unknown>
}

/** Something that cannot be undone: asked about once more, with what is lost. */
export function Confirm({ label, name, title, text, action, onConfirm }: ConfirmProps) {
  const [open, setOpen] = useState(false)
  const act = useMutation({ mutationFn: onConfirm, onSuccess: () => setOpen(false) })
  const close = () => {
    act.reset()
    setOpen(false)
  }
  return (
    <>
      <button
        type="button"
        className="text-stop hover:underline"
        aria-label={name}
        onClick={() => setOpen(true)}
      >
        {label}
      </button>
      <Dialog open={open} onClose={close} className="relative z-40">
        <div className="fixed inset-0 bg-ink/40" aria-hidden />
        <div className="fixed inset-0 grid place-items-center p-4">
          <DialogPanel className="w-full max-w-md rounded-card border border-line bg-card p-4 text-ink shadow-2xl">
            <DialogTitle className="text-lg font-semibold">{title}</DialogTitle>
            <p className="my-3">{text}</p>
            {act.isError && <Problem error={act.error} />}
            <div className="mt-3 flex justify-end gap-3">
              <Button autoFocus onClick={close}>
                Keep it
              </Button>
              <Button tone="stop" disabled={act.isPending} onClick={() => act.mutate()}>
                {action}
              </Button>
            </div>
          </DialogPanel>
        </div>
      </Dialog>
    </>
  )
}
