import { autocompletion, completionKeymap, type CompletionSource } from '@codemirror/autocomplete'
import { defaultKeymap, history, historyKeymap, indentWithTab } from '@codemirror/commands'
import { yaml } from '@codemirror/lang-yaml'
import { indentUnit } from '@codemirror/language'
import { linter, lintGutter, type Diagnostic } from '@codemirror/lint'
import { EditorState } from '@codemirror/state'
import { EditorView, keymap, lineNumbers } from '@codemirror/view'
import { useEffect, useRef } from 'react'
import { api, data } from '../../api/client'
import { through, type Lens } from '../../api/queries'
import type { Finding } from '../../api/types'
import { fileColours, fileLooks } from '../devices/fileLooks'
import { useLens } from '../lens/lens'
import { completionsAt } from './completions'
import { languageSchema } from './languageSchema'

type TextEditorProps = {
  file: string
  text: string
  line: number | undefined
  onText: (text: string) => void
  onKeep: () => void
}

/** Milliseconds that typing pauses before the server is asked what is wrong. */
const PAUSE_MS = 500

/** A file's text to edit: keys of the language are completed, and problems stand at their lines. */
export function TextEditor({ file, text, line, onText, onKeep }: TextEditorProps) {
  const host = useRef<HTMLDivElement>(null)
  const lens = useLens()
  const told = useRef({ onText, onKeep, lens, line })
  useEffect(() => {
    told.current = { onText, onKeep, lens, line }
  }, [onText, onKeep, lens, line])
  useEffect(() => {
    if (!host.current) return
    const editor = new EditorView({
      parent: host.current,
      state: EditorState.create({
        doc: text,
        extensions: [
          lineNumbers(),
          lintGutter(),
          history(),
          yaml(),
          indentUnit.of('  '),
          fileColours,
          fileLooks,
          autocompletion({ override: [completeKeys] }),
          linter((view) => problemsOf(view, file, told.current.lens), { delay: PAUSE_MS }),
          keymap.of([
            { key: 'Mod-s', run: () => (told.current.onKeep(), true), preventDefault: true },
            ...completionKeymap,
            ...historyKeymap,
            ...defaultKeymap,
            indentWithTab,
          ]),
          EditorView.updateListener.of((update) => {
            if (update.docChanged) told.current.onText(update.state.doc.toString())
          }),
          EditorView.contentAttributes.of({ 'aria-label': `Text of ${file}` }),
        ],
      }),
    })
    const wanted = told.current.line
    if (wanted) {
      const { from } = editor.state.doc.line(Math.min(wanted, editor.state.doc.lines))
      editor.dispatch({
        selection: { anchor: from },
        effects: EditorView.scrollIntoView(from, { y: 'center' }),
      })
    }
    editor.focus()
    return () => editor.destroy()
  }, [file, text])
  return <div ref={host} className="min-h-0 flex-1 overflow-hidden rounded-md border border-edge" />
}

/** What is wrong with the files as they would be, at the lines of this one. */
async function problemsOf(view: EditorView, file: string, lens: Lens): Promise<Diagnostic[]> {
  const { doc } = view.state
  const found: Finding[] = await data(
    api.POST('/api/networks/{slug}/problems', {
      params: { path: { slug: lens.slug }, query: through(lens) },
      body: { file, text: doc.toString() },
    }),
  )
  return found.map((problem) => {
    const line = problem.file === file && (problem.line ?? 0) <= doc.lines ? problem.line : null
    const isHere = line !== null
    const at = doc.line(line ?? 1)
    const from = Math.min(at.to, at.from + (isHere ? (problem.column ?? 1) - 1 : 0))
    const where = isHere ? '' : `${problem.file}:${problem.line}: `
    return {
      from,
      to: Math.max(from, at.to),
      severity: 'error',
      message: `${where}${problem.text}${problem.suggestion ? `; ${problem.suggestion}` : ''}`,
    }
  })
}

/** Keys, and words that may stand behind one, as the language has them. */
const completeKeys: CompletionSource = async (context) => {
  const word = context.matchBefore(/[\w-]*/)
  if (!word || (word.from === word.to && !context.explicit)) return null
  const options = completionsAt(await languageSchema(), context.state.doc.toString(), word.from)
  return options.length > 0 ? { from: word.from, options, validFor: /^[\w-]*$/ } : null
}
