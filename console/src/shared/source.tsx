import Prism from 'prismjs'
import 'prismjs/components/prism-typescript'
import 'prismjs/components/prism-jsx'
import 'prismjs/components/prism-tsx'
import 'prismjs/components/prism-go'
import 'prismjs/components/prism-python'
import 'prismjs/components/prism-java'
import 'prismjs/components/prism-kotlin'
import 'prismjs/components/prism-csharp'
import 'prismjs/components/prism-ruby'
import 'prismjs/components/prism-rust'
import type { ReactNode } from 'react'
import type { Frame } from '../api/client.ts'
import { CommitName } from './likely.tsx'

const longest = 400

const languages: Record<string, string> = { ts: 'tsx', tsx: 'tsx', mts: 'tsx', cts: 'tsx', go: 'go', py: 'python', java: 'java', kt: 'kotlin', cs: 'csharp', rb: 'ruby', rs: 'rust' }

/** Source lines with the blamed one marked; each line is coloured by itself. */
export function Source({ frame }: { frame: Frame }) {
  const lines = frame.source_lines ?? []
  const grammar = Prism.languages[languages[/\.(\w+)$/.exec(frame.file)?.[1] ?? ''] ?? 'javascript']
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

/** Where source lines are from that no symbols brought. */
export function FromRepository({ frame: f, inset }: { frame: Frame; inset: string }) {
  return f.source_commit ? <p className={`soft pb-1 text-[.93rem] ${inset}`}>from the repository, at commit <CommitName hash={f.source_commit} /></p> : null
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
