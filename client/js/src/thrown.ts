import type { Attributes, Described, Exception } from './event.ts'
import { isError, text } from './event.ts'

const maxExceptions = 20

/** Lists a thrown value and all it carries: causes, members of an aggregate, and what an error suppressed. */
export function describe(thrown: unknown): Described {
  const exceptions: Exception[] = []
  const attributes: Attributes = {}
  const seen = new Set<unknown>()
  const add = (value: unknown, parent?: number, relation?: Exception['relation']) => {
    if (exceptions.length >= maxExceptions || (isObject(value) && seen.has(value))) return
    seen.add(value)
    const at = exceptions.length
    const x = one(value)
    if (parent !== undefined) Object.assign(x, { parent, relation })
    exceptions.push(x)
    if (!isObject(value)) return
    const code = get(value, 'code')
    if (
      attributes['error.code'] === undefined &&
      (typeof code === 'string' ? code : typeof code === 'number' && !isDOMException(value))
    )
      attributes['error.code'] = code
    // A SuppressedError: what went wrong while something else was being cleaned up.
    const suppressed = get(value, 'suppressed')
    const cause = get(value, 'cause') ?? (suppressed !== undefined ? get(value, 'error') : undefined)
    if (cause != null && (isError(value) || isError(cause))) add(cause, at, 'cause')
    if (suppressed != null && isError(value)) add(suppressed, at, 'suppressed')
    const errors = get(value, 'errors')
    if (isError(value) && Array.isArray(errors)) for (const m of errors) add(m, at, 'member')
  }
  add(thrown)
  return Object.keys(attributes).length ? { exceptions, attributes } : { exceptions }
}

const isObject = (v: unknown): v is object => (typeof v === 'object' && v !== null) || typeof v === 'function'

/** A property, whatever its getter does. */
function get(of: object, name: string): unknown {
  try {
    return (of as Record<string, unknown>)[name]
  } catch {
    return undefined
  }
}

/** Whether a value is of a class that this runtime has. */
const isA = (v: object, name: string): boolean => {
  try {
    const of = (globalThis as Record<string, unknown>)[name]
    return typeof of === 'function' && v instanceof of
  } catch {
    return false // a proxy that lets nobody look
  }
}

const isDOMException = (v: object): boolean => isA(v, 'DOMException')

function one(v: unknown): Exception {
  if (isError(v)) {
    const stack = get(v, 'stack')
    return {
      type: text(get(v, 'name') || 'Error'),
      message: text(get(v, 'message')),
      ...(stack ? { stack: String(stack) } : {}),
    }
  }
  if (isObject(v) && isDOMException(v)) return { type: text(get(v, 'name')), message: text(get(v, 'message')) }
  return { thrown: v === null ? 'null' : typeof v, message: brief(v) }
}

/** What a value says, for a person: without running getters or methods of the application's. */
export function brief(v: unknown, depth = 0): string {
  try {
    return said(v, depth).slice(0, 8192)
  } catch {
    return `[${typeof v}]`
  }
}

const maxShown = 20

function said(v: unknown, depth: number): string {
  if (typeof v === 'string') return depth ? JSON.stringify(v.slice(0, 500)) : v
  if (!isObject(v)) return String(v)
  if (isError(v) || isDOMException(v))
    return [text(get(v, 'name') || 'Error'), text(get(v, 'message'))].filter(Boolean).join(': ')
  if (typeof v === 'function') return `function ${v.name || '(anonymous)'}`
  if (isA(v, 'Response')) return `Response ${get(v, 'status')} ${get(v, 'url')}`.trim()
  if (isA(v, 'Request')) return `Request ${get(v, 'method')} ${get(v, 'url')}`
  if (isA(v, 'Event')) return event(v)
  if (isA(v, 'Element')) return element(v)
  if (v instanceof Date) return isNaN(+v) ? 'Invalid Date' : v.toISOString()
  if (v instanceof RegExp || v instanceof URL) return String(v)
  if (depth >= 3) return Array.isArray(v) ? '[…]' : '{…}'
  if (Array.isArray(v))
    return `[${v
      .slice(0, maxShown)
      .map((x) => said(x, depth + 1))
      .join(',')}${v.length > maxShown ? ',…' : ''}]`
  return plain(v, depth)
}

/** An object by its own properties; a getter is not called. */
function plain(v: object, depth: number): string {
  const keys = Object.keys(v)
  const shown = keys.slice(0, maxShown).map((k) => {
    const p = Object.getOwnPropertyDescriptor(v, k)
    return `${JSON.stringify(k)}:${p && 'value' in p ? said(p.value, depth + 1) : '…'}`
  })
  const of = Object.getPrototypeOf(v)?.constructor?.name as string | undefined
  return `${of && of !== 'Object' ? of + ' ' : ''}{${shown.join(',')}${keys.length > maxShown ? ',…' : ''}}`
}

/** An event: its type, where it happened, and what it says itself. */
function event(v: object): string {
  const target = get(v, 'target')
  const at =
    target && isObject(target)
      ? isA(target, 'Element')
        ? element(target)
        : (Object.getPrototypeOf(target)?.constructor?.name ?? '')
      : ''
  const more = ['message', 'reason'].map((k) => get(v, k)).filter((x) => x !== undefined && x !== '')
  return `${Object.getPrototypeOf(v)?.constructor?.name ?? 'Event'} "${get(v, 'type')}"${at ? ' of ' + at : ''}${more.length ? ': ' + more.map((x) => brief(x, 1)).join(' ') : ''}`
}

function element(v: object): string {
  const src = get(v, 'src') ?? get(v, 'href')
  return `<${text(get(v, 'tagName')).toLowerCase()}${get(v, 'id') ? '#' + text(get(v, 'id')) : ''}${typeof src === 'string' && src ? ' ' + src : ''}>`
}
