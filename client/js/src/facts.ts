import type { Attributes } from './event.ts'

const systems: [RegExp, string][] = [
  [/Windows NT ([\d.]+)/, 'Windows'],
  [/Android ([\d.]+)/, 'Android'],
  [/(?:iPhone|CPU) OS ([\d_]+)/, 'iOS'],
  [/Mac OS X ([\d_.]+)/, 'macOS'],
  [/CrOS \S+ ([\d.]+)/, 'ChromeOS'],
  [/Linux/, 'Linux'],
]
const browsers: [RegExp, string][] = [
  [/Edg\/([\d.]+)/, 'Edge'],
  [/Firefox\/([\d.]+)/, 'Firefox'],
  [/(?:Headless)?Chrome\/([\d.]+)/, 'Chrome'],
  [/Version\/([\d.]+).*Safari/, 'Safari'],
]

/** The browser and its system, from what it calls itself. */
export function browserFacts(): Attributes {
  const out: Attributes = { 'telemetry.sdk.language': 'webjs' }
  const ua = globalThis.navigator?.userAgent
  if (!ua) return out // no browser
  Object.assign(out, {
    'user_agent.original': ua,
    'browser.language': navigator.language,
    'browser.mobile': /Mobi/.test(ua),
  })
  const fill = (list: [RegExp, string][], name: string, version: string) => {
    for (const [re, what] of list) {
      const m = re.exec(ua)
      if (!m) continue
      out[name] = what
      if (m[1]) out[version] = m[1].replace(/_/g, '.')
      return
    }
  }
  fill(systems, 'os.name', 'os.version')
  fill(browsers, 'user_agent.name', 'user_agent.version')
  return out
}
