import { lazy, Suspense } from 'react'
import { goodLink } from '../core/link.ts'

const Markdown = lazy(() => import('react-markdown'))

/** What somebody wrote, in Markdown: no raw HTML, no pictures, links to the web and to mail alone. */
export function Written({ text }: { text: string }) {
  return (
    <div className="written min-w-0 break-words" dir="auto">
      <Suspense fallback={<p className="whitespace-pre-wrap">{text}</p>}>
        <Markdown
          skipHtml
          disallowedElements={['img']}
          unwrapDisallowed
          urlTransform={goodLink}
          components={{ a: ({ href, children }) => (href ? <a className="link" href={href} rel="noopener nofollow" target="_blank">{children}</a> : <>{children}</>) }}
        >
          {text}
        </Markdown>
      </Suspense>
    </div>
  )
}

/** The beginning of what somebody wrote, in one flow: emphasis and code alone. */
export function Glimpse({ text }: { text: string }) {
  return (
    <Suspense fallback={text}>
      <Markdown skipHtml allowedElements={['em', 'strong', 'code']} unwrapDisallowed components={{ code: ({ children }) => <code className="mono">{children}</code> }}>{text}</Markdown>
    </Suspense>
  )
}
