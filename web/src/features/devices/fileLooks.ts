import { HighlightStyle, syntaxHighlighting } from '@codemirror/language'
import { EditorView } from '@codemirror/view'
import { tags } from '@lezer/highlight'

/** What files look like, read or edited. */
export const fileLooks = EditorView.theme({
  '&': { height: '100%', fontSize: '0.86rem', color: 'var(--ink)', backgroundColor: 'transparent' },
  '.cm-scroller': { fontFamily: 'var(--font-mono)', lineHeight: '1.55' },
  '.cm-gutters': { backgroundColor: 'transparent', color: 'var(--soft)', border: 'none', cursor: 'pointer' },
  '.cm-found, .cm-found span': { backgroundColor: 'var(--warn)', color: 'var(--card)' },
  '&.cm-focused': { outline: 'none' },
  '.cm-cursor': { borderLeftColor: 'var(--ink)' },
  '.cm-tooltip': { backgroundColor: 'var(--card)', color: 'var(--ink)', border: '1px solid var(--line)' },
  '.cm-tooltip-autocomplete ul li[aria-selected]': {
    backgroundColor: 'var(--chosen-wash)',
    color: 'var(--ink)',
  },
  '.cm-completionInfo': { maxWidth: '24rem', fontFamily: 'var(--font-sans)' },
  '.cm-cited': { backgroundColor: 'var(--warn-wash)', boxShadow: 'inset 4px 0 0 var(--warn)' },
})

export const fileColours = syntaxHighlighting(
  HighlightStyle.define([
    { tag: tags.comment, color: 'var(--soft)', fontStyle: 'italic' },
    { tag: [tags.propertyName, tags.definition(tags.propertyName)], color: 'var(--link)' },
    { tag: [tags.string, tags.content], color: 'var(--ink)' },
    { tag: tags.punctuation, color: 'var(--soft)' },
  ]),
)
