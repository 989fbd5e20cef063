/** What a browser calls itself, in the order in which the first that fits is the right one: most claim to be others, too. */
const browsers: readonly (readonly [RegExp, string])[] = [
  [/\bEdg(?:e|A|iOS)?\/(\d+)/, 'Edge'], [/\bOPR\/(\d+)/, 'Opera'], [/\b(?:Firefox|FxiOS)\/(\d+)/, 'Firefox'], [/\b(?:HeadlessChrome|Chrome|CriOS|Chromium)\/(\d+)/, 'Chrome'], [/\bVersion\/(\d+)[^ ]* (?:Mobile\/\S+ )?Safari\//, 'Safari'],
]
const systems: readonly (readonly [RegExp, string])[] = [
  [/\b(?:iPhone|iPad|iPod)\b/, 'iOS'], [/\bAndroid\b/, 'Android'], [/\bWindows\b/, 'Windows'], [/\bMac OS X\b/, 'macOS'], [/\bCrOS\b/, 'ChromeOS'], [/\bLinux\b/, 'Linux'],
]

/** A browser in a few words, such as "Firefox 151 on Linux". */
export function browserOf(agent: string): string {
  const browser = browsers.map(([re, name]) => [re.exec(agent)?.[1], name] as const).find(([version]) => version !== undefined)
  const system = systems.find(([re]) => re.test(agent))?.[1]
  const name = browser ? `${browser[1]} ${browser[0]}` : agent.split(' ')[0] || 'unknown browser'
  return system ? `${name} on ${system}` : name
}
