import { yaml } from '@codemirror/lang-yaml'
import { EditorState, StateEffect, StateField, type Extension } from '@codemirror/state'
import { Decoration, EditorView, lineNumbers, type DecorationSet } from '@codemirror/view'
import { useEffect, useRef } from 'react'
import { fileColours, fileLooks } from './fileLooks'

/** A piece of the text, by its offsets. */
export type Piece = { from: number; to: number }

const markLine = StateEffect.define<number>()
const markPiece = StateEffect.define<Piece | null>()

const found = StateField.define<DecorationSet>({
  create: () => Decoration.none,
  update(pieces, transaction) {
    for (const effect of transaction.effects) {
      if (effect.is(markPiece))
        return effect.value
          ? Decoration.set([Decoration.mark({ class: 'cm-found' }).range(effect.value.from, effect.value.to)])
          : Decoration.none
    }
    return pieces
  },
  provide: (field) => EditorView.decorations.from(field),
})

const marked = StateField.define<DecorationSet>({
  create: () => Decoration.none,
  update(lines, transaction) {
    for (const effect of transaction.effects) {
      if (effect.is(markLine)) {
        const { doc } = transaction.state
        const from = doc.line(Math.min(Math.max(1, effect.value), doc.lines)).from
        return Decoration.set([
          Decoration.line({ attributes: { class: 'cm-cited', 'aria-current': 'true' } }).range(from),
        ])
      }
    }
    return lines
  },
  provide: (field) => EditorView.decorations.from(field),
})

type FileTextProps = {
  text: string
  line?: number
  /** What is looked for, where it stands. */
  piece?: Piece | null
  onLine?: (line: number) => void
}

/** A file to read, with the cited line marked and in view. Its line numbers can be clicked. */
export function FileText({ text, line, piece = null, onLine }: FileTextProps) {
  const host = useRef<HTMLDivElement>(null)
  const view = useRef<EditorView | null>(null)
  const clicked = useRef(onLine)
  useEffect(() => {
    clicked.current = onLine
  }, [onLine])
  useEffect(() => {
    if (!host.current) return
    const numbers: Extension = lineNumbers({
      domEventHandlers: {
        click(editor, block) {
          clicked.current?.(editor.state.doc.lineAt(block.from).number)
          return true
        },
      },
    })
    const editor = new EditorView({
      parent: host.current,
      state: EditorState.create({
        doc: text,
        extensions: [
          numbers,
          yaml(),
          fileColours,
          fileLooks,
          marked,
          found,
          EditorState.readOnly.of(true),
          EditorView.editable.of(false),
          EditorView.contentAttributes.of({ 'aria-label': 'File text', tabindex: '0' }),
        ],
      }),
    })
    view.current = editor
    return () => editor.destroy()
  }, [text])
  useEffect(() => {
    const editor = view.current
    if (!editor || !line) return
    const at = editor.state.doc.line(Math.min(Math.max(1, line), editor.state.doc.lines))
    editor.dispatch({ effects: [markLine.of(line), EditorView.scrollIntoView(at.from, { y: 'center' })] })
  }, [line, text])
  useEffect(() => {
    const editor = view.current
    if (!editor) return
    const effects: StateEffect<unknown>[] = [markPiece.of(piece)]
    if (piece) effects.push(EditorView.scrollIntoView(piece.from, { y: 'center' }))
    editor.dispatch({ effects })
  }, [piece, text])
  return <div ref={host} className="min-h-0 flex-1 overflow-hidden" />
}
