/** A link of a text that somebody wrote, if it is one to follow: http, https or mailto. */
export function goodLink(url: string): string {
  const clean = [...url].filter((c) => c.charCodeAt(0) > 0x20).join('')
  return /^(https?:\/\/|mailto:)/i.test(clean) ? clean : ''
}
