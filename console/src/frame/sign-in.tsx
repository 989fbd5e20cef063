import { useEffect, useRef, useState } from 'react'
import { Link } from 'react-router'
import { signIn } from '../api/client.ts'
import { Mark } from '../shared/parts.tsx'

/** Opens a session with the secret behind the # of the link, which never reaches a log. */
export function SignIn() {
  const [error, setError] = useState('')
  const asked = useRef(false)
  useEffect(() => {
    if (asked.current) return
    asked.current = true
    const link = location.hash.slice(1)
    history.replaceState(null, '', '/sign-in')
    if (!link) {
      setError('This address holds no sign-in link.')
      return
    }
    // A full load: nothing of a former person's data stays in memory.
    signIn(link).then(() => location.replace('/'), (e: Error) => setError(e.message))
  }, [])
  return (
    <main className="mx-auto max-w-xl px-6 py-20">
      <p className="flex items-center gap-2 text-lg font-semibold">
        <Mark /> Firethorn
      </p>
      <h1 className="mt-6 text-2xl font-semibold">{error ? 'You are not signed in' : 'Signing in …'}</h1>
      {error && (
        <>
          <p className="mt-3" role="alert">{error}</p>
          <pre className="shell mt-3" tabIndex={0} aria-label="The command">firethorn person link "YOUR NAME"</pre>
          <p className="mt-3">
            <Link className="link" to="/">If you are signed in already, go to the projects</Link>
          </p>
        </>
      )}
    </main>
  )
}
