import { Copy } from './parts.tsx'

/** What a page shows, as a command and as a request. */
export function CopyAs({ command, request, link }: { command: string; request: string; link?: string }) {
  return (
    <details className="dropdown dropdown-end">
      <summary className="btn btn-ghost btn-sm font-normal">Copy as …</summary>
      <div className="dropdown-content z-20 flex w-44 flex-col panel p-1">
        <Copy text={command}>Command line</Copy>
        <Copy text={request}>Request</Copy>
        {link && <Copy text={link}>Link</Copy>}
      </div>
    </details>
  )
}
