/**
 * Takes secrets out of a report before it leaves: values under names that mean
 * secrets, and values that look like them. The service does the same again,
 * by the project's own rules; what never leaves cannot be lost on the way.
 */
import type { ReportedEvent, Scrubbed } from './event.ts'

/** What an application adds to that. */
export interface ScrubOptions {
  /** Names whose values go: a name or a part of it, in any case. */
  names?: string[]
  /** Patterns of values that go; each must be global. */
  patterns?: RegExp[]
  /** Names whose values stay. */
  keep?: string[]
}

const mark = '[scrubbed]'
const strong = /password|passwd|passphrase|passcode|secret|apikey|accesskey|privatekey|authorization|credential|cookie|(session|access|refresh|id|auth)token|csrf|xsrf|bearer|cardnumber|creditcard|cvv|iban|encryptionkey|signingkey|connectionstring/
const last = /(?:^|[^a-z0-9])(?:token|pwd|auth|pin|otp|jwt|signature|sig|cvc|pass|sid|ssn)$/
const plainWord = /^(?:null|undefined|nil|None|true|false|missing|required|invalid|expired|string|NaN|\*{3,})$/
const from = 'асеорхукһмтьѵпігѕАВЕНІКМОРТСУХаοκντρχΑΒΕΖΗΙΚΜΝΟΡΤΥΧ'
const to = 'aceopxykhmtbvnirsABEHIKMOPTCYXaokvtpxABEZHIKMNOPTYX'

/** How surely a name means a secret: 2 by itself, 1 by its last word alone, 0 not at all. */
function weigh(name: string): 0 | 1 | 2 {
  if (name.length < 3 || name.length > 200) return 0
  const latin = /[^\x00-\x7f]/.test(name) ? [...name.normalize('NFKC')].map((c) => to[from.indexOf(c)] ?? c).join('') : name
  const words = latin.replace(/([a-z0-9])([A-Z])/g, '$1-$2').toLowerCase()
  if (strong.test(words.replace(/[^a-z0-9]/g, ''))) return 2
  return last.test(words) ? 1 : 0
}

const digits = /\d/

/** Whether what stands behind "name: " in prose looks like a value and not like the next word. */
function valueLike(v: string, weight: number): boolean {
  return digits.test(v) || v.length >= 20 || (weight === 2 && /[a-z][A-Z]|[^A-Za-z0-9\u0080-\uffff]/.test(v))
}

function isCard(text: string): boolean {
  const n = text.replace(/[ -]/g, '')
  if (n.length < 14 || n.length > 19 || /^(\d)\1+$/.test(n)) return false
  if (!/^(4|5[0-8]|2[2-7]|3[0-9]|6[02-57])/.test(n) || (n.length < 16 && !/^3/.test(n))) return false
  let sum = 0
  for (let i = 0; i < n.length; i++) {
    let d = Number(n[n.length - 1 - i])
    if (i % 2 && (d *= 2) > 9) d -= 9
    sum += d
  }
  return sum % 10 === 0
}

function isIban(text: string): boolean {
  const n = text.replace(/ /g, '')
  if (n.length < 15 || n.length > 34) return false
  let rest = 0
  for (const c of n.slice(4) + n.slice(0, 4)) rest = Number(`${rest}${parseInt(c, 36)}`) % 97
  return rest === 1
}

/** Drawn and not written: its kinds of character change too often for words. Hexadecimal is never taken for a secret. */
function random(w: string): boolean {
  const bare = w.replace(/[^A-Za-z0-9]/g, '')
  if (/^[0-9a-f-]+$/i.test(w) || (w.match(/\d/g)?.length ?? 0) < 2 || /[a-z]{9}/.test(w)) return false
  const changes = bare.match(/[a-z](?=[A-Z0-9])|[A-Z](?=[a-z0-9])|\d(?=[A-Za-z])/g)?.length ?? 0
  if (/[a-z].*[a-z]/.test(w) && /[A-Z].*[A-Z]/.test(w)) return changes >= 0.4 * bare.length
  return !/[A-Z]/.test(w) && /[a-z0-9]{32}/.test(w) && !/[a-z]{8}/.test(w) && changes >= 0.3 * bare.length
}

const prefixed = /^(?:A(?:KIA|SIA)[0-9A-Z]{16}|AIza[\w-]{30,}|gh[pousr]_\w{20,}|github_pat_\w{20,}|glpat-[\w-]{16,}|xox[bpars]-[\w-]{10,}|[sr]k_(?:live|test)_\w{10,}|whsec_\w{16,}|sk-[\w-]{20,}|npm_\w{30,}|pypi-[\w-]{20,}|hf_\w{20,}|dop_v1_\w{20,}|shpat_\w{20,})$/

/** What base64 hides, when it is a text. */
function decoded(w: string): string | undefined {
  try {
    const plain = atob(w.replace(/=+$/, '').replace(/-/g, '+').replace(/_/g, '/'))
    return /^[\t\n\r\x20-\x7e\x80-\xff]+$/.test(plain) ? plain : undefined
  } catch {
    return undefined
  }
}

type Tell = (rule: string) => void

/** A text without its secrets. */
export function scrubText(text: string, tell: Tell, own: ScrubOptions = {}, inner = false): string {
  const gone = (rule: string): string => (tell(rule), mark)
  let t = text
  for (const p of own.patterns ?? []) t = t.replace(p, () => gone('pattern'))
  if (t.length < 7) return t // too short to hold a secret by its name or looks
  if (t.includes('-----BEGIN')) t = t.replace(/-----BEGIN[A-Z ]{0,40}PRIVATE KEY(?:(?!-----END)[\s\S])*(?:-----END[^\n\\"]*)?/g, () => gone('private-key'))
  if (t.includes('eyJ')) t = t.replace(/\beyJ[\w-]{7,}\.[\w-]{5,}(?:\.[\w-]*){0,3}/g, () => gone('jwt'))
  if (t.includes('@')) t = addresses(t, gone)
  t = pairs(t, gone, own)
  t = t.replace(/\b(bearer|basic) ([\w.~+/=-]{4,})/gi, (all: string, scheme: string, v: string) => {
    const good = scheme.toLowerCase() === 'basic' ? decoded(v)?.includes(':') : v.length >= 12 && digits.test(v)
    return good ? `${scheme} ${gone('authorization')}` : all
  })
  if (t.includes('--')) t = t.replace(/(^|\s)(--[\w-]{3,64}) ([^\s&"'\\;,<>#)}\]`|%-][^\s&"'\\;,<>#)}\]`|%]{2,})/g, (all: string, gap: string, name: string, v: string) => (weigh(name) && !plainWord.test(v) && !v.startsWith('[') ? `${gap}${name} ${gone('named')}` : all))
  if (/\d{4}[ -]?\d{4}/.test(t)) t = t.replace(/(?<![\w.-])\d(?:[ -]?\d){13,18}(?![\w-])/g, (all: string) => (isCard(all) ? gone('card') : all))
  if (/[A-Z]{2}\d{2}/.test(t)) t = t.replace(/(?<![\w-])[A-Z]{2}\d{2}(?:[A-Z0-9]{11,30}|(?: [A-Z0-9]{4}){2,7}(?: [A-Z0-9]{1,4})?)(?![\w-])/g, (all: string) => (isIban(all) ? gone('iban') : all))
  return t.replace(/[\w-]{10,}(?:[+/][\w+/-]*)?={0,2}/g, (w: string, at: number, whole: string) => {
    if (!digits.test(w) || /^sha\d{3}-/.test(w)) return w
    const word = /^[\w-]+/.exec(w)![0]
    if (prefixed.test(word)) return gone('token') + w.slice(word.length)
    if (w.length < 16) return w
    if (!inner) {
      let inside = false
      const plain = decoded(w)
      if (plain) scrubText(plain, () => (inside = true), own, true)
      if (inside) return gone('encoded')
    }
    const path = /[/.,]/.test(whole[at - 1] ?? '') || /[.:?]/.test(whole[at + w.length] ?? '')
    if (w.length - word.length > 4 && w.length >= 28 && !path && random(w)) return gone('token')
    return word.length >= 24 && whole[at - 1] !== ',' && random(word) ? gone('token') + w.slice(word.length) : w
  })
}

/** Passwords in URLs and connection strings. */
function addresses(text: string, gone: (rule: string) => string): string {
  const t = text.replace(/(:\/\/)([^\s/?#"'<>\\@]{0,512})@/g, (all: string, slashes: string, info: string) => {
    const at = info.indexOf(':')
    if (at < 0) return info.length >= 20 ? slashes + gone('url-password') + '@' : all
    return info.slice(at + 1) === mark || at === info.length - 1 ? all : slashes + info.slice(0, at + 1) + gone('url-password') + '@'
  })
  return t.replace(/(\w[:/])([^\s:/"'@]{1,128})@(?=tcp\(|unix\(|\/\/)/g, (_all: string, head: string) => head + gone('url-password') + '@')
}

const ends = /[ \t\r\n&"'\\;,<>#)}\]`|%]/g
const lineEnds = /[\r\n"']/g

/** What begins no value: a URL's slashes, a comparison, the line and column of a frame. */
const plainAhead = /^(?:[=:>/]|\d{1,9}:\d)/
const quotes = '"\'\\'

/** Whether a character can stand in a name. */
const inName = (c: number): boolean => (c >= 97 && c <= 122) || (c >= 65 && c <= 90) || (c >= 48 && c <= 57) || c === 45 || c === 46 || c === 95 || c >= 128

/** Values that a sign ties to a name that means a secret: "token=…", "password: …", "Cookie: …". */
function pairs(t: string, gone: (rule: string) => string, own: ScrubOptions): string {
  let out = ''
  let kept = 0
  for (const m of t.matchAll(/[=:]|%3[dDaA]/g)) {
    const j = m.index
    if (j < kept) continue
    let at = j + m[0].length
    if (plainAhead.test(t.slice(at, at + 14))) continue
    let stop = j
    for (let k = 0; k < 4 && (quotes.includes(t[stop - 1] ?? '-') || (k === 0 && t[stop - 1] === ' ')); k++) stop--
    let start = stop
    while (start > 0 && stop - start < 64 && inName(t.charCodeAt(start - 1))) start--
    if (t[start - 1] === '%') start += 2
    const name = t.slice(start, stop)
    const weight = named(name, own)
    if (!weight) continue
    const blanks = /^ {0,2}/.exec(t.slice(at, at + 2))![0].length
    at += blanks
    const line = m[0] === ':' && (/cookie$/i.test(name) ? 'cookie' : /authorization$/i.test(name) ? 'authorization' : '')
    at += /^(?:bearer|basic|digest|token) /i.exec(t.slice(at, at + 8))?.[0].length ?? 0
    const quote = /^\\*(["'`])/.exec(t.slice(at, at + 4))
    let end: number
    if (quote) {
      at += quote[0].length
      end = at
      while (end < t.length && t[end] !== quote[1] && t[end] !== '\n') end++
      while (end > at && t[end - 1] === '\\') end--
    } else {
      const over = line ? lineEnds : ends
      over.lastIndex = at
      end = over.exec(t)?.index ?? t.length
      if (!line) while (end > at && /[.:]/.test(t[end - 1]!)) end--
    }
    const v = t.slice(at, end)
    if (v.length < 3 || v.startsWith(mark.slice(0, -1)) || (!quote && (/^[{[(]/.test(v) || plainWord.test(v) || (blanks && !line && !valueLike(v, weight))))) continue
    out += t.slice(kept, at) + gone(line || 'named')
    kept = end
  }
  return out + t.slice(kept)
}

function named(name: string, own: ScrubOptions): number {
  const n = name.toLowerCase()
  if (own.keep?.some((k) => k.toLowerCase() === n)) return 0
  return own.names?.some((k) => n.includes(k.toLowerCase())) ? 2 : weigh(name)
}

const deepest = 8

/** A value without its secrets; what holds none is the same value. */
function scrubValue(v: unknown, where: string, tell: (rule: string, where: string) => void, own: ScrubOptions, depth: number): unknown {
  if (typeof v === 'string') return scrubText(v, (rule) => tell(rule, where), own)
  if (typeof v === 'number') return Number.isSafeInteger(v) && isCard(String(v)) ? (tell('card', where), mark) : v
  if (typeof v !== 'object' || v === null || depth > deepest) return v
  if (Array.isArray(v)) return v.map((x, i) => scrubValue(x, `${where}[${i}]`, tell, own, depth + 1))
  const out: Record<string, unknown> = {}
  for (const [k, x] of Object.entries(v)) {
    const at = where ? `${where}.${k}` : k
    if (own.keep?.some((n) => n.toLowerCase() === k.toLowerCase())) out[k] = x
    else if (named(k, own) && x != null && x !== '') {
      out[k] = mark
      tell('named', at)
    } else out[k] = scrubValue(x, at, tell, own, depth + 1)
  }
  return out
}

const mostTold = 50

/** An event without its secrets, which says what was taken out. */
export function scrub(e: ReportedEvent, own: ScrubOptions = {}): ReportedEvent {
  const told = new Map<string, Scrubbed>()
  const tell = (rule: string, where: string) => {
    if (told.size >= mostTold && !told.has(rule + '\0' + where)) [rule, where] = ['several', 'more places']
    const known = told.get(rule + '\0' + where)
    if (known) known.count++
    else told.set(rule + '\0' + where, { rule, where, count: 1 })
  }
  const plain = JSON.parse(JSON.stringify(e)) as ReportedEvent // what is sent, not what is referred to
  const clean = scrubValue(plain, '', tell, own, 0) as ReportedEvent
  return told.size > 0 ? { ...clean, scrubbed: [...told.values()] } : clean
}
