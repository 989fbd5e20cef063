import { autocompletion, completionKeymap } from '@codemirror/autocomplete'
import type { CompletionContext } from '@codemirror/autocomplete'
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands'
import { yaml } from '@codemirror/lang-yaml'
import { HighlightStyle, indentUnit, syntaxHighlighting } from '@codemirror/language'
import { lintGutter, setDiagnostics } from '@codemirror/lint'
import { EditorState } from '@codemirror/state'
import { EditorView, keymap, lineNumbers } from '@codemirror/view'
import { tags } from '@lezer/highlight'
import { useEffect, useRef } from 'react'
import type { RuleProblem } from '../api/client.ts'
import { suggest } from '../core/complete.ts'
import type { Word } from '../core/complete.ts'
import { span } from '../core/rules.ts'

const look = EditorView.theme({
  '&': { backgroundColor: 'var(--color-base-100)', color: 'var(--color-base-content)', fontSize: '.95rem', height: '100%' },
  '.cm-scroller': { fontFamily: 'ui-monospace, "Cascadia Mono", Menlo, Consolas, "Liberation Mono", monospace', lineHeight: '1.55' },
  '&.cm-focused': { outline: '2px solid var(--color-info)', outlineOffset: '1px' },
  '.cm-gutters': { backgroundColor: 'var(--color-base-200)', color: 'var(--color-secondary)', border: 'none', borderRight: '1px solid var(--color-base-300)' },
  '.cm-cursor': { borderLeftColor: 'var(--color-base-content)' },
  '&.cm-focused > .cm-scroller > .cm-selectionLayer .cm-selectionBackground, .cm-selectionBackground': { backgroundColor: 'color-mix(in oklab, var(--color-primary) 25%, transparent)' },
  '.cm-lintRange-error': { backgroundImage: 'none', borderBottom: '2px solid var(--color-accent)' },
  '.cm-tooltip': { backgroundColor: 'var(--color-base-100)', color: 'var(--color-base-content)', border: '1px solid var(--color-base-300)' },
  '.cm-tooltip-autocomplete > ul > li[aria-selected]': { backgroundColor: 'var(--color-primary)', color: 'var(--color-primary-content)' },
  '.cm-tooltip-autocomplete > ul > li[aria-selected] .cm-completionDetail': { color: 'var(--color-primary-content)' },
  '.cm-completionDetail': { color: 'var(--color-secondary)', fontStyle: 'normal', fontFamily: 'system-ui, sans-serif' },
  '.cm-diagnostic-error': { borderLeftColor: 'var(--color-accent)' },
})

const paint = HighlightStyle.define([
  { tag: [tags.propertyName, tags.definition(tags.propertyName)], color: 'var(--color-primary)' },
  { tag: tags.comment, color: 'var(--color-secondary)' },
  { tag: [tags.string, tags.special(tags.string)], color: 'var(--color-warning)' },
])

/**
 * A text editor for rules. It stands in a shadow root: there its styles are
 * constructed sheets, which the Content-Security-Policy lets pass.
 */
export function Editor(p: { text: string; change: (text: string) => void; problems: RuleProblem[]; save: () => void; tryOut: () => void; words: Word[]; label: string; show?: number | undefined }) {
  const host = useRef<HTMLDivElement>(null)
  const view = useRef<EditorView | null>(null)
  const now = useRef(p)
  now.current = p
  useEffect(() => {
    const el = host.current
    if (!el) return
    const root = el.shadowRoot ?? el.attachShadow({ mode: 'open' })
    const v = new EditorView({
      root,
      parent: root,
      state: EditorState.create({
        doc: now.current.text,
        extensions: [
          lineNumbers(), history(), yaml(), indentUnit.of('  '), look, syntaxHighlighting(paint), lintGutter(), EditorView.lineWrapping,
          EditorView.contentAttributes.of({ 'aria-label': now.current.label }),
          autocompletion({
            override: [
              (c: CompletionContext) => {
                const s = suggest(c.state.doc.toString(), c.pos, now.current.words)
                if (!s || (!c.explicit && s.from === c.pos && !/[.{]$/.test(c.state.sliceDoc(Math.max(0, c.pos - 1), c.pos)))) return null
                return { from: s.from, options: s.options.map((o) => ({ label: o.label, detail: o.detail, apply: o.apply })) }
              },
            ],
            icons: false,
          }),
          keymap.of([
            ...completionKeymap,
            { key: 'Mod-s', run: () => (now.current.save(), true) },
            { key: 'Mod-Enter', run: () => (now.current.tryOut(), true) },
            ...defaultKeymap,
            ...historyKeymap,
          ]),
          EditorView.updateListener.of((u) => {
            if (u.docChanged) now.current.change(u.state.doc.toString())
          }),
        ],
      }),
    })
    view.current = v
    if (now.current.show !== undefined) v.dispatch({ selection: { anchor: now.current.show }, effects: EditorView.scrollIntoView(now.current.show, { y: 'center' }) })
    return () => v.destroy()
  }, [])
  useEffect(() => {
    const v = view.current
    if (v && v.state.doc.toString() !== p.text) v.dispatch({ changes: { from: 0, to: v.state.doc.length, insert: p.text } })
  }, [p.text])
  useEffect(() => {
    const v = view.current
    if (!v) return
    const text = v.state.doc.toString()
    v.dispatch(
      setDiagnostics(
        v.state,
        p.problems.map((f) => ({ ...span(text, f), severity: 'error' as const, message: f.suggestion ? `${f.message}; did you mean ${f.suggestion}?` : f.message })),
      ),
    )
  }, [p.problems])
  return <div ref={host} className="h-full min-h-96" data-editor />
}
