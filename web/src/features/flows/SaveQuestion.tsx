import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { Link } from 'react-router'
import { api, data } from '../../api/client'
import { savedQuestionsQuery, type FlowQuestion } from '../../api/queries'
import { Button, Problem } from '../../ui/controls'
import { useLinkTo, usePlace } from '../lens/lens'
import { bodyOf } from './question'
import { useEscape } from '../../ui/useEscape'
import { Input } from '../../ui/fields'
import { questionWords } from '../../wording'

/** Keeps a question under a name, to be run again after each change. */
export function SaveQuestion({ question, onDone }: { question: FlowQuestion; onDone: () => void }) {
  const { lens } = usePlace()
  const queries = useQueryClient()
  const to = useLinkTo()
  const [name, setName] = useState(questionWords(question).slice(0, 120))
  const [folder, setFolder] = useState('')
  const save = useMutation({
    mutationFn: () =>
      data(
        api.POST('/api/networks/{slug}/questions', {
          params: { path: { slug: lens.slug }, query: { revision: lens.revision } },
          body: { name: name.trim(), folder: folder.trim(), question: bodyOf(question) },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: savedQuestionsQuery(lens.slug).queryKey }),
  })
  useEscape(onDone)
  const submit = (event: FormEvent) => {
    event.preventDefault()
    save.mutate()
  }
  if (save.isSuccess) {
    return (
      <p role="status" className="rounded-card border border-go bg-go-wash px-3 py-2">
        Saved as <strong>{save.data.name}</strong>. <Link to={to('flows/saved')}>All saved questions</Link>
      </p>
    )
  }
  return (
    <form
      onSubmit={submit}
      aria-label="Save the question"
      className="flex flex-wrap items-center gap-2 rounded-card border border-line bg-card p-2.5"
    >
      <label className="flex flex-1 items-center gap-2 text-soft">
        name{' '}
        <Input
          autoFocus
          value={name}
          maxLength={120}
          onChange={(event) => setName(event.target.value)}
          className="min-w-60 flex-1"
        />
      </label>
      <label className="flex items-center gap-2 text-soft">
        folder{' '}
        <Input
          value={folder}
          maxLength={120}
          onChange={(event) => setFolder(event.target.value)}
          placeholder="none"
          className="w-40"
        />
      </label>
      <Button type="submit" tone="main" disabled={!name.trim() || save.isPending}>
        Save
      </Button>
      <Button onClick={onDone}>Cancel</Button>
      {save.isError && <Problem error={save.error} />}
    </form>
  )
}
