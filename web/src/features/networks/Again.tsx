import { useMutation } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { useNavigate } from 'react-router'
import { api, data } from '../../api/client'
import { Button, Problem } from '../../ui/controls'
import { useLinkTo } from '../lens/lens'

type AgainBody = { preview: boolean; after?: number | null }
type AgainProps = { id: number; body: AgainBody; tone?: 'main'; children: ReactNode }

/** Reads the files of an import once more, and goes to where that is told. */
export function useAgain(id: number) {
  const navigate = useNavigate()
  const to = useLinkTo()
  return useMutation({
    mutationFn: (body: AgainBody) =>
      data(api.POST('/api/imports/{id}/again', { params: { path: { id } }, body })),
    onSuccess: (job) => void navigate(to(`imports/${job.id}`), { state: { mine: true } }),
  })
}

export function Again({ id, body, tone, children }: AgainProps) {
  const again = useAgain(id)
  return (
    <span>
      <Button tone={tone} disabled={again.isPending} onClick={() => again.mutate(body)}>
        {children}
      </Button>
      {again.isError && <Problem error={again.error} />}
    </span>
  )
}
