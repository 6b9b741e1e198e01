import { Lexer, Parser, Renderer, type Tokens } from 'marked'
import { useEffect, useState } from 'react'
import REFERENCE from '../../../../docs/device-file.md?raw'
import { SearchInput } from '../../ui/fields'
import { dashed } from '../../ui/dashed'
import { PageHead } from '../lens/PageHead'

/** The reference as a page, and its headings. It is our own text: nobody else writes into it. */
function written() {
  const tokens = Lexer.lex(REFERENCE)
  const headings = tokens.filter(
    (token): token is Tokens.Heading => token.type === 'heading' && (token as Tokens.Heading).depth > 1,
  )
  const renderer = new Renderer()
  renderer.heading = function ({ depth, text, tokens: inner }) {
    const level = Math.max(2, depth)
    return `<h${level} id="${dashed(text)}">${this.parser.parseInline(inner)}</h${level}>`
  }
  // What scrolls sideways is reached by keyboard too.
  const { code } = renderer
  renderer.code = function (token) {
    return code.call(this, token).replace('<pre>', '<pre tabindex="0">')
  }
  // Files beside the reference are no pages here; they stay words.
  renderer.link = function ({ href, tokens: inner }) {
    const words = this.parser.parseInline(inner)
    return href.startsWith('#') ? `<a href="${href}">${words}</a>` : words
  }
  return { html: Parser.parse(tokens, { renderer }), headings }
}

const WRITTEN = written()

/** The language of device files, complete: the reference that lies beside the code. */
export function LanguagePage() {
  const { html, headings } = WRITTEN
  const [wanted, setWanted] = useState('')
  const shown = headings.filter(({ text: title }) =>
    title.toLowerCase().includes(wanted.trim().toLowerCase()),
  )
  useEffect(() => {
    document.getElementById(location.hash.slice(1))?.scrollIntoView()
  }, [])
  return (
    <div className="grid gap-5 md:grid-cols-[14rem_minmax(0,1fr)]">
      <PageHead title="The language of device files" shown="text-2xl font-semibold md:col-span-2" />
      <nav
        aria-label="Chapters"
        className="md:sticky md:top-3 md:max-h-[90vh] md:self-start md:overflow-auto"
      >
        <SearchInput label="Find a chapter" value={wanted} onChange={setWanted} className="mb-2 w-full" />
        <ul>
          {shown.map(({ text: title, depth }) => (
            <li key={title} className={depth > 2 ? 'pl-3 text-sm' : ''}>
              <a href={`#${dashed(title)}`} className="no-underline hover:underline">
                {title}
              </a>
            </li>
          ))}
        </ul>
      </nav>
      <div className="reference min-w-0" dangerouslySetInnerHTML={{ __html: html }} />
    </div>
  )
}
