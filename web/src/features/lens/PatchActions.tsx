import { useMutation } from '@tanstack/react-query'
import { api, data } from '../../api/client'
import { through } from '../../api/queries'
import type { FileChange } from '../../api/types'
import { Problem } from '../../ui/controls'
import { downloadText } from '../../ui/download'
import { dashed } from '../../ui/dashed'
import { useLens } from './lens'

/** A proposed edit to take along: as a patch, copied or saved. `name` is what it is about. */
export function PatchActions({ changes, name }: { changes: FileChange[]; name: string }) {
  const lens = useLens()
  const take = useMutation({
    mutationFn: async (how: 'copied' | 'saved') => {
      const { patch } = await data(
        api.POST('/api/networks/{slug}/patch', {
          params: { path: { slug: lens.slug }, query: through(lens) },
          body: { changes },
        }),
      )
      if (how === 'copied') await navigator.clipboard.writeText(patch)
      else downloadText(`${fileName(name)}.patch`, patch)
      return how
    },
  })
  if (take.isError) return <Problem error={take.error} />
  const look = 'whitespace-nowrap text-link hover:underline'
  return (
    <span className="flex gap-3">
      <button type="button" className={look} onClick={() => take.mutate('copied')}>
        {take.data === 'copied' ? '✓ copied' : 'Copy'}
      </button>
      <button
        type="button"
        className={look}
        title="As a patch of the revision's files, for patch -p1"
        onClick={() => take.mutate('saved')}
      >
        {take.data === 'saved' ? '✓ saved' : 'Download patch'}
      </button>
    </span>
  )
}

const fileName = (name: string) => dashed(name).slice(0, 60) || 'change'
