import { useMutation } from '@tanstack/react-query'
import { useRef } from 'react'
import { api, data } from '../../api/client'
import { Button, Problem } from '../../ui/controls'
import { usePlace } from '../lens/lens'
import { usePromisesChanged } from './usePromisesChanged'

/** Takes the promises that are kept here out as a file, and a file of promises in. */
export function PromiseFiles({ editor }: { editor: boolean }) {
  const { lens } = usePlace()
  const changed = usePromisesChanged()
  const chosen = useRef<HTMLInputElement>(null)
  const take = useMutation({
    mutationFn: async (file: File) =>
      data(
        api.POST('/api/networks/{slug}/promises/file', {
          params: { path: { slug: lens.slug } },
          body: { text: await file.text() },
        }),
      ),
    onSuccess: changed,
  })
  const address = `/api/networks/${lens.slug}/promises/file`
  return (
    <span className="flex items-center gap-3 text-sm">
      <a href={address} download={`${lens.slug}-promises.yaml`}>
        YAML
      </a>
      <a href={`${address}?as=csv`} download={`${lens.slug}-promises.csv`}>
        CSV
      </a>
      {editor && (
        <>
          <input
            ref={chosen}
            type="file"
            accept=".yaml,.yml"
            aria-label="A file of promises"
            className="hidden"
            onChange={({ target }) => {
              const [file] = target.files ?? []
              if (file) take.mutate(file)
              target.value = ''
            }}
          />
          <Button onClick={() => chosen.current?.click()} disabled={take.isPending}>
            Import a file
          </Button>
        </>
      )}
      {take.isError && (
        <span className="fixed top-16 right-4 z-40 w-96 shadow-lg">
          <Problem error={take.error} what="Nothing was taken in." />
        </span>
      )}
    </span>
  )
}
