import type { ComponentType } from 'react'
import { useRouteError } from 'react-router'
import { Failed } from '../shared/parts.tsx'

const reloaded = 'firethorn.reloaded'

/**
 * Loads the part of the console that a page is in; going is where the person
 * goes. A part that is gone belongs to a former build: that page is loaded
 * again, once.
 */
export function part<K extends string>(going: () => string, load: () => Promise<Record<K, ComponentType>>, name: K): () => Promise<{ Component: ComponentType }> {
  return async () => {
    try {
      const Component = (await load())[name]
      sessionStorage.removeItem(reloaded)
      return { Component }
    } catch (e) {
      if (sessionStorage.getItem(reloaded) === going()) throw e
      sessionStorage.setItem(reloaded, going())
      location.assign(going())
      return new Promise(() => undefined) // the page goes
    }
  }
}

/** What stands in the place of a page that broke. */
export function Broken() {
  const error = useRouteError()
  return <Failed error={error instanceof Error ? error : new Error(String(error))} again={() => location.reload()} />
}
