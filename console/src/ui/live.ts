import { useQueryClient } from '@tanstack/react-query'
import { useEffect } from 'react'
import { live } from '../api/client.ts'

const every = 2000

/** Asks again for what a page shows when the project (any one, without) changes, at most every two seconds, and not in a hidden tab. */
export function useLive(project: string | undefined): void {
  const client = useQueryClient()
  useEffect(() => {
    let stop: (() => void) | undefined
    let timer: ReturnType<typeof setTimeout> | undefined
    let last = 0
    let away = false
    const ask = () => {
      last = Date.now()
      timer = undefined
      void client.invalidateQueries({ queryKey: project === undefined ? ['p'] : ['p', project] })
    }
    const changed = (name: string) => {
      if ((project === undefined || name === project) && timer === undefined) timer = setTimeout(ask, Math.max(0, last + every - Date.now()))
    }
    const follow = () => {
      if (document.hidden) {
        stop?.()
        stop = undefined
        away = true
      } else if (!stop) {
        stop = live(changed)
        if (away) changed(project ?? '') // nobody told us meanwhile
        away = false
      }
    }
    follow()
    document.addEventListener('visibilitychange', follow)
    return () => {
      stop?.()
      clearTimeout(timer)
      document.removeEventListener('visibilitychange', follow)
    }
  }, [client, project])
}
