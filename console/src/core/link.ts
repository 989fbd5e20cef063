/** A link of a text that somebody wrote, if it is one to follow: http, https or mailto. */
export function goodLink(url: string): string {
  const clean = [...url].filter((c) => c.charCodeAt(0) > 0x20).join('')
  return /^(https?:\/\/|mailto:)/i.test(clean) ? clean : ''
}

/** The secret of a sign-in link that somebody pasted, or of a secret alone; '' where it is neither. */
export function linkSecret(text: string): string {
  const secret = text.trim().split('#').at(-1) ?? ''
  return /^[\w-]{20,100}$/.test(secret) ? secret : ''
}
