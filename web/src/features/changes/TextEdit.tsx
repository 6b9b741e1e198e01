import { useMutation, useQuery } from '@tanstack/react-query'
import { Suspense, useState } from 'react'
import { api, data } from '../../api/client'
import { fileQuery, filesQuery, through } from '../../api/queries'
import type { Edit } from '../../api/types'
import { TextEditor } from '../../pages'
import { Button, Panel, Problem, Waiting } from '../../ui/controls'
import { Select } from '../../ui/fields'
import { sortedByName } from '../../ui/natural'
import { useLens } from '../lens/lens'
import { withEdits } from './edits'
import { useAdding, type Adding } from './useAdding'
import type { useChange } from './useChange'

type TextEditProps = { adding: Adding & { kind: 'text' }; edits: Edit[]; doing: ReturnType<typeof useChange> }

/** The text of a file as the change has made it, to be edited; what is told apart becomes edits. */
export function TextEdit({ adding, edits, doing }: TextEditProps) {
  const lens = useLens()
  const [, setAdding] = useAdding()
  const files = useQuery(filesQuery(lens))
  const paths = sortedByName(files.data ?? [], (each) => each.path).map((each) => each.path)
  const open = (file: string) => setAdding({ kind: 'text', file, line: undefined })
  return (
    <Panel
      title="The text of a file"
      aside={
        <button type="button" className="text-link hover:underline" onClick={() => setAdding(null)}>
          close
        </button>
      }
      className="flex min-h-96 flex-1 flex-col"
    >
      <Select
        room="dense"
        aria-label="File"
        value={adding.file}
        onChange={(event) => open(event.target.value)}
        className="mb-2 w-fit max-w-full"
      >
        <option value="">choose a file</option>
        {paths.map((path) => (
          <option key={path}>{path}</option>
        ))}
      </Select>
      {files.isError && <Problem error={files.error} />}
      {adding.file && (
        <Editing key={adding.file} file={adding.file} line={adding.line} edits={edits} doing={doing} />
      )}
    </Panel>
  )
}

type EditingProps = {
  file: string
  line: number | undefined
  edits: Edit[]
  doing: ReturnType<typeof useChange>
}

function Editing({ file, line, edits, doing }: EditingProps) {
  const lens = useLens()
  const read = useQuery(fileQuery(lens, file))
  const [typed, setTyped] = useState<string | null>(null)
  const text = read.data?.text
  const isOther = typed !== null && typed !== text
  const keep = useMutation({
    mutationFn: async () => {
      const made = await data(
        api.POST('/api/networks/{slug}/edits/text', {
          params: { path: { slug: lens.slug }, query: through(lens) },
          body: { file, text: typed },
        }),
      )
      return doing.say.mutateAsync({ edits: withEdits(edits, made), text: `text of ${file}` })
    },
    onSuccess: () => setTyped(null),
  })
  if (read.isError) return <Problem error={read.error} />
  if (text === undefined) return <Waiting what="Reading the file" />
  return (
    <>
      <Suspense fallback={<Waiting what="Opening the editor" />}>
        <TextEditor
          file={file}
          text={text}
          line={line}
          onText={setTyped}
          onKeep={() => isOther && keep.mutate()}
        />
      </Suspense>
      <span className="mt-2 flex items-center gap-3">
        <Button tone="main" disabled={!isOther || keep.isPending} onClick={() => keep.mutate()}>
          Make it an edit
        </Button>
        <span className="text-sm text-soft">
          {isOther
            ? 'edited; Ctrl S makes it an edit too'
            : 'Ctrl Space completes a key; problems stand at their lines'}
        </span>
      </span>
      {keep.isError && <Problem error={keep.error} />}
    </>
  )
}
