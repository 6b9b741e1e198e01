import { useMutation } from '@tanstack/react-query'
import { useRef, useState, type DragEvent } from 'react'
import { Link, useNavigate } from 'react-router'
import TEMPLATE from '../../../../docs/device-template.yaml?raw'
import { api, data } from '../../api/client'
import { Button, Panel, Problem } from '../../ui/controls'
import { PageHead } from '../lens/PageHead'
import { useLinkTo, usePlace } from '../lens/lens'
import { Kept } from './Kept'
import { Members } from './Members'
import { downloadText } from '../../ui/download'
import { fromDrop, fromInput, type Upload } from './uploads'

/** Drop or choose device files; a job reads them. */
export function ImportPage() {
  const { network } = usePlace()
  const navigate = useNavigate()
  const to = useLinkTo()
  const [over, setOver] = useState(false)
  const [isLooking, setLooking] = useState(true)
  const folder = useRef<HTMLInputElement>(null)
  const files = useRef<HTMLInputElement>(null)
  const start = useMutation({
    mutationFn: (uploads: Upload[]) => {
      const form = new FormData()
      if (network.newest_revision && isLooking) form.append('preview', 'true')
      for (const { path, file } of uploads) {
        form.append('files', file)
        form.append('paths', path)
      }
      return data(
        api.POST('/api/networks/{slug}/imports', {
          params: { path: { slug: network.slug } },
          body: form as never,
          bodySerializer: (body) => body as unknown as FormData,
        }),
      )
    },
    onSuccess: (job) => void navigate(to(`imports/${job.id}`), { state: { mine: true } }),
  })
  const take = (uploads: Upload[]) => uploads.length > 0 && start.mutate(uploads)
  const drop = (event: DragEvent) => {
    event.preventDefault()
    setOver(false)
    void fromDrop(event.dataTransfer).then(take)
  }
  if (network.role === 'viewer')
    return <p className="p-4">You are a viewer here; importing takes an editor.</p>
  return (
    <div className="mx-auto grid max-w-4xl gap-3">
      <PageHead title="Import" />
      <Panel title={`Import into ${network.title}`}>
        <div
          role="presentation" // files are dropped on it; the buttons in it do the same by keyboard
          data-over={over || undefined}
          onDragOver={(event) => {
            event.preventDefault()
            setOver(true)
          }}
          onDragLeave={() => setOver(false)}
          onDrop={drop}
          className="grid place-items-center gap-3 rounded-card border-2 border-dashed border-line bg-paper p-10 text-center data-over:border-chosen data-over:bg-chosen-wash"
        >
          <p className="text-lg">Drop files here: single files, a folder, or a zip of one.</p>
          <div className="flex gap-3">
            <Button tone="main" disabled={start.isPending} onClick={() => folder.current?.click()}>
              Choose a folder
            </Button>
            <Button disabled={start.isPending} onClick={() => files.current?.click()}>
              Choose files or a zip
            </Button>
          </div>
          <input
            ref={folder}
            type="file"
            hidden
            aria-label="Folder to import"
            {...{ webkitdirectory: '' }}
            onChange={(event) => take(fromInput(event.target.files))}
          />
          <input
            ref={files}
            type="file"
            hidden
            multiple
            aria-label="Files to import"
            onChange={(event) => take(fromInput(event.target.files))}
          />
          {network.newest_revision && (
            <label className="flex items-center gap-2">
              <input
                type="checkbox"
                checked={isLooking}
                onChange={(event) => setLooking(event.target.checked)}
              />
              look at what differs from revision {network.newest_revision.number} before it is kept
            </label>
          )}
          {start.isPending && <p role="status">Sending the files…</p>}
        </div>
        {start.isError && (
          <div className="mt-3">
            <Problem error={start.error} />
          </div>
        )}
        <p className="mt-3">
          New here? <Link to="/language">The language of device files</Link>, an{' '}
          <a href="/api/example" download>
            example to import
          </a>
          , and a{' '}
          <button
            type="button"
            className="text-link underline"
            onClick={() => downloadText('device.yaml', TEMPLATE)}
          >
            template of one device
          </button>
          .
        </p>
        <p className="mt-2 text-soft">
          Each file’s format is recognised: device files, JSON of YANG models (RFC 7951), captures of Linux
          hosts, tables and lists as CSV, BGP dumps (MRT). What of a file is not understood is told file by
          file.
        </p>
        <p className="mt-2 text-soft">
          An import becomes a new revision only if every file reads without problems. The upload is the whole
          network: files that are missing in it are missing in the new revision. Earlier revisions stay as
          they are.
        </p>
      </Panel>
      <Members />
      <Kept />
    </div>
  )
}
