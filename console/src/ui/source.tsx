import Prism from 'prismjs'
import 'prismjs/components/prism-typescript'
import 'prismjs/components/prism-jsx'
import 'prismjs/components/prism-tsx'
import type { ReactNode } from 'react'
import type { Frame } from '../api/client.ts'

const longest = 400

/** Source lines with the blamed one marked; each line is coloured by itself. */
export function Source({ frame }: { frame: Frame }) {
  const lines = frame.source_lines ?? []
  const grammar = Prism.languages[/\.tsx?$/.test(frame.file) ? 'tsx' : 'javascript']
  return (
    <pre className="source border-t border-base-300 py-1" tabIndex={0} aria-label={`Source around line ${frame.line} of ${frame.file}`}>
      {lines.map((l) => {
        const text = l.text.slice(0, longest)
        return (
          <div key={l.line} className={`px-3 ${l.line === frame.line ? 'at' : ''}`} aria-current={l.line === frame.line || undefined}>
            <span className="soft inline-block w-10 pr-3 text-right select-none">{l.line}</span>
            {l.from ? <span className="soft" title={`${l.from} characters before are left out`}>… </span> : ''}
            {grammar ? Prism.tokenize(text, grammar).map(paint) : text}
            {'\n'}
          </div>
        )
      })}
    </pre>
  )
}

function paint(t: string | Prism.Token, i: number): ReactNode {
  if (typeof t === 'string') return t
  const inner = Array.isArray(t.content) ? t.content.map(paint) : typeof t.content === 'string' ? t.content : paint(t.content, 0)
  return (
    <span key={i} className={`token ${t.type}`}>
      {inner}
    </span>
  )
}
