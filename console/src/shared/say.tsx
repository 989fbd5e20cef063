import { createContext, useCallback, useContext, useRef, useState } from 'react'
import type { ReactNode } from 'react'

interface Said {
  id: number
  words: string
  bad: boolean
}

const Saying = createContext<(words: string, bad?: boolean) => void>(() => undefined)

/** Says something short at the lower edge; screen readers hear it. */
export const useSay = () => useContext(Saying)

export function SayProvider({ children }: { children: ReactNode }) {
  const [list, setList] = useState<Said[]>([])
  const next = useRef(0)
  const say = useCallback((words: string, bad = false) => {
    const id = next.current++
    setList((l) => [...l.slice(-2), { id, words, bad }])
    setTimeout(() => setList((l) => l.filter((s) => s.id !== id)), bad ? 9000 : 4000)
  }, [])
  return (
    <Saying value={say}>
      {children}
      <div className="toast toast-center bottom-14 z-20" role="status" aria-live="polite">
        {list.map((s) => (
          <div key={s.id} className={`alert border bg-base-100 py-2 ${s.bad ? 'border-accent text-accent' : 'border-primary'}`}>
            {s.words}
          </div>
        ))}
      </div>
    </Saying>
  )
}
