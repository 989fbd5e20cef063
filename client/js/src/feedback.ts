import './browser.ts' // one chunk with it
import { newID } from './event.ts'
import { client, page } from './page.ts'

/** What a person says. */
export interface Words {
  text: string
  /** What it is about; the event reported last, unless said otherwise. */
  event?: string
  name?: string
  email?: string
}

/** The dialog's own words, in the application's language. */
export interface Labels {
  title: string
  question: string
  name: string
  email: string
  optional: string
  send: string
  cancel: string
  thanks: string
}

const english: Labels = {
  title: 'Something went wrong',
  question: 'What were you trying to do?',
  name: 'Your name',
  email: 'Your email address',
  optional: 'optional',
  send: 'Send',
  cancel: 'Cancel',
  thanks: 'Thank you. This helps us to mend it.',
}

/** Sends what a person said, from a form of the application's own. */
export function feedback(words: Words): void {
  client.guard(() => {
    if (!client.options || !words.text.trim()) return
    const { text, name, email } = words
    const event = words.event ?? client.last
    const user = Object.fromEntries(Object.entries(page.attributes).filter(([k]) => k.startsWith('user.')))
    client.feedback.put({
      id: newID(),
      time: new Date().toISOString(),
      text,
      ...(event ? { event } : {}),
      ...(name ? { 'user.name': name } : {}),
      ...(email ? { 'user.email': email } : {}),
      attributes: user,
    })
  })
}

const style = `dialog{border:1px solid;border-radius:6px;padding:1.25rem;width:min(28rem,calc(100vw - 2rem));box-sizing:border-box;font:1rem/1.5 system-ui,sans-serif;color:CanvasText;background:Canvas;color-scheme:light dark}
dialog::backdrop{background:#0008}h2{font-size:1.2rem;margin:0 0 .75rem}label{display:block;margin-top:.75rem}small{opacity:.8}textarea,input{display:block;width:100%;box-sizing:border-box;font:inherit;padding:.4rem;margin-top:.2rem}
div{display:flex;gap:.75rem;justify-content:flex-end;margin-top:1rem}button{font:inherit;padding:.4rem 1rem}:focus-visible{outline:3px solid Highlight;outline-offset:2px}`

/**
 * Asks the person in front of the page, in a dialog that keyboard and screen
 * reader reach; the contact is optional. Resolves to whether something was
 * said. The words can be the application's own.
 */
export function askForFeedback(
  options: { event?: string; labels?: Partial<Labels>; name?: string; email?: string } = {},
): Promise<boolean> {
  const l = { ...english, ...options.labels }
  const event = options.event ?? client.last
  const host = document.createElement('div')
  const root = host.attachShadow({ mode: 'open' })
  const el = <K extends keyof HTMLElementTagNameMap>(
    tag: K,
    set: Partial<HTMLElementTagNameMap[K]> = {},
    ...inside: (Node | string)[]
  ): HTMLElementTagNameMap[K] => {
    const e = Object.assign(document.createElement(tag), set)
    e.append(...inside)
    return e
  }
  const text = el('textarea', { rows: 4, required: true, maxLength: 4000 })
  const name = el('input', { autocomplete: 'name', maxLength: 200, value: options.name ?? '' })
  const email = el('input', { type: 'email', autocomplete: 'email', maxLength: 200, value: options.email ?? '' })
  const field = (label: string, input: Node, optional = true) =>
    el('label', {}, label, ...(optional ? [' ', el('small', {}, `(${l.optional})`)] : []), input)
  const title = el('h2', { id: 't' }, l.title)
  const cancel = el('button', { type: 'button' }, l.cancel)
  const form = el(
    'form',
    {},
    title,
    field(l.question, text, false),
    field(l.name, name),
    field(l.email, email),
    el('div', {}, cancel, el('button', {}, l.send)),
  )
  const dialog = el('dialog', {}, form)
  dialog.setAttribute('aria-labelledby', 't')
  const sheet = new CSSStyleSheet() // no style element: a strict Content-Security-Policy stays
  sheet.replaceSync(style)
  root.adoptedStyleSheets = [sheet]
  root.append(dialog)
  document.body.append(host)
  return new Promise((done) => {
    let said = false
    cancel.onclick = () => dialog.close()
    form.onsubmit = (e) => {
      e.preventDefault()
      if (!text.value.trim()) return text.focus()
      said = true
      feedback({ text: text.value, name: name.value.trim(), email: email.value.trim(), ...(event ? { event } : {}) })
      const thanks = el('p', {}, l.thanks)
      thanks.setAttribute('role', 'status')
      const close = el('button', { type: 'button', onclick: () => dialog.close() }, '✓')
      close.setAttribute('aria-label', 'OK')
      dialog.replaceChildren(thanks, el('div', {}, close))
      close.focus()
    }
    dialog.onclose = () => {
      host.remove() // the browser gives the focus back to where it was
      done(said)
    }
    dialog.showModal()
    text.focus()
  })
}
