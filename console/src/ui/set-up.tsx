import { useQuery } from '@tanstack/react-query'
import { Link, useParams } from 'react-router'
import * as api from '../api/client.ts'
import { count } from '../core/format.ts'
import { Copy, Failed, Loading } from './parts.tsx'

/** How an application reports, with the project's own key, and whether it does. */
export function SetUp({ project }: { project: string }) {
  const p = useQuery({ queryKey: ['p', project, 'project'], queryFn: ({ signal }) => api.project(project, signal) })
  if (p.error) return <Failed error={p.error} again={() => void p.refetch()} />
  if (!p.data) return <Loading />
  const origin = location.origin
  const key = p.data.ingest_key
  const snippets: { name: string; why: string; text: string }[] = [
    { name: 'A test event', why: 'From any machine that the command line is logged in on.', text: `firethorn send --project ${project}` },
    {
      name: 'Browser and Node',
      why: 'First of all in the application. The release must be the one the maps are pushed for.',
      text: `import { start } from '@firethorn/client'\n\nstart({\n  server: '${origin}',\n  key: '${key}',\n  service: '${project}',\n  release: '1.0.0',\n  environment: 'production',\n})`,
    },
    {
      name: 'Anything that speaks HTTP',
      why: 'One event, as the event format has it.',
      text: `curl ${origin}/v1/events -H 'Authorization: Bearer ${key}' \\\n  -H 'Content-Type: application/json' \\\n  -d '{"exceptions":[{"type":"TestError","message":"it works"}]}'`,
    },
    {
      name: 'OpenTelemetry',
      why: 'In the environment of an application that has it already: exceptions on spans and in log records become events.',
      text: `OTEL_SERVICE_NAME=${project}\nOTEL_RESOURCE_ATTRIBUTES=service.version=1.0.0,deployment.environment.name=production\nOTEL_EXPORTER_OTLP_PROTOCOL=http/protobuf\nOTEL_EXPORTER_OTLP_ENDPOINT=${origin}\nOTEL_EXPORTER_OTLP_HEADERS=authorization=Bearer%20${key}`,
    },
    {
      name: 'Logs',
      why: 'Stack traces in files or in what a program prints become events.',
      text: `firethorn forward --server ${origin} --key ${key} \\\n  --service ${project} --release 1.0.0 /var/log/${project}/*.log`,
    },
    { name: 'Source maps', why: 'After each build, so that traces are readable.', text: `firethorn symbols push --project ${project} --release 1.0.0 \\\n  --served-at https://app.example/ dist` },
  ]
  return (
    <div className="mx-auto max-w-3xl px-6 py-6">
      <h1 className="text-xl font-semibold">Set up {project}</h1>
      <p className="mt-1" role="status">
        {p.data.events === 0 ? (
          <>
            <span className="status status-info mr-2 animate-pulse" aria-hidden="true" />
            Nothing has arrived yet; listening.
          </>
        ) : (
          <>
            {count(p.data.events)} events have arrived. <Link className="link" to={`/p/${project}/issues`}>See the issues</Link>
          </>
        )}
      </p>
      <ol className="mt-5 space-y-5">
        {snippets.map((s) => (
          <li key={s.name}>
            <div className="flex items-baseline gap-3">
              <h2 className="font-semibold whitespace-nowrap">{s.name}</h2>
              <span className="soft grow">{s.why}</span>
              <Copy text={s.text}>Copy</Copy>
            </div>
            <pre className="mt-1 overflow-x-auto rounded border border-base-300 bg-base-100 p-3" tabIndex={0} aria-label={s.name}>{s.text}</pre>
          </li>
        ))}
      </ol>
    </div>
  )
}

export function SetUpPage() {
  const { project = '' } = useParams()
  return <SetUp project={project} />
}
