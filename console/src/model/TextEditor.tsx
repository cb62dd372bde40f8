import { autocompletion, completionKeymap, type Completion, type CompletionContext, type CompletionResult } from '@codemirror/autocomplete'
import { defaultKeymap, history, historyKeymap, indentWithTab } from '@codemirror/commands'
import { yaml } from '@codemirror/lang-yaml'
import { HighlightStyle, bracketMatching, indentUnit, syntaxHighlighting } from '@codemirror/language'
import { lintGutter, setDiagnostics } from '@codemirror/lint'
import { EditorState, type Extension } from '@codemirror/state'
import { EditorView, drawSelection, highlightActiveLine, keymap, lineNumbers } from '@codemirror/view'
import { tags } from '@lezer/highlight'
import { useEffect, useImperativeHandle, useRef } from 'react'
import type { Schema } from '../api/types'
import { namesIn, offers, spotAt } from './completion'

export interface LineProblem {
  line: number
  message: string
}

/** What the page around an editor can ask of it. */
export interface EditorHandle {
  goTo: (line: number) => void
  replace: (text: string) => void
}

const colours = HighlightStyle.define([
  { tag: [tags.definition(tags.propertyName), tags.propertyName], color: 'var(--teal)' },
  { tag: [tags.string, tags.special(tags.string)], color: 'var(--plum)' },
  { tag: [tags.comment, tags.separator, tags.punctuation, tags.squareBracket, tags.brace], color: 'var(--muted)' },
])

const look = EditorView.theme({
  '&': { color: 'inherit', backgroundColor: 'transparent', maxHeight: 'calc(100vh - 200px)' },
  '&.cm-focused': { outline: 'none', boxShadow: 'inset 2px 0 0 var(--teal)' },
  '.cm-scroller': { font: 'inherit' },
  '.cm-content': { caretColor: 'var(--ink)' },
  '.cm-cursor': { borderLeftColor: 'var(--ink)' },
  '.cm-gutters': { backgroundColor: 'transparent', color: 'var(--muted)', borderRight: '1px solid var(--line)' },
  '.cm-activeLine': { backgroundColor: 'color-mix(in srgb, var(--teal-soft) 40%, transparent)' },
  '&.cm-focused > .cm-scroller > .cm-selectionLayer .cm-selectionBackground, .cm-selectionBackground': { backgroundColor: 'var(--teal-soft)' },
  '.cm-lintRange-error': { backgroundImage: 'none', textDecoration: 'underline wavy var(--ochre)' },
  '.cm-lint-marker-error': { content: "''", width: '8px', height: '8px', margin: '4px', border: '1.5px solid var(--ochre)', transform: 'rotate(45deg)' },
  '.cm-diagnostic-error': { borderLeftColor: 'var(--ochre)' },
  '.cm-tooltip': { backgroundColor: 'var(--panel)', color: 'var(--ink)', border: '1px solid var(--line)', borderRadius: '6px' },
  '.cm-tooltip.cm-tooltip-autocomplete > ul > li[aria-selected]': { backgroundColor: 'var(--teal-soft)', color: 'var(--ink)' },
  '.cm-completionDetail': { color: 'var(--muted)', fontStyle: 'normal', fontFamily: 'var(--bs-body-font-family)' },
})

/** Completes keys and words of a bench file, from its schema and from the names that the file gives. */
const completing = (schema: Schema) => (context: CompletionContext): CompletionResult | null => {
  const text = context.state.doc.toString()
  const spot = spotAt(text, context.pos)
  if (!spot || (spot.word === '' && !context.explicit)) return null
  const options = offers(schema, spot, namesIn(text)).map(
    ({ word, meaning }): Completion => ({ label: word, detail: meaning, apply: spot.place === 'key' ? `${word}: ` : word }),
  )
  return options.length > 0 ? { from: spot.from, options, validFor: /^[\w.-]*$/ } : null
}

/** A text that is edited, with what is wrong in place; completed as a bench file where there is a schema. */
export function TextEditor({ label, text, schema, problems, onChange, handle }: {
  label: string
  text: string
  schema: Schema | undefined
  problems: LineProblem[]
  onChange: (text: string) => void
  handle: React.RefObject<EditorHandle | null>
}) {
  const place = useRef<HTMLDivElement>(null)
  const view = useRef<EditorView>(null)
  const changed = useRef(onChange)
  const begun = useRef(text) // the editor keeps the text from then on
  useEffect(() => {
    changed.current = onChange
  })
  useEffect(() => {
    const language: Extension = schema ? [yaml(), autocompletion({ override: [completing(schema)], icons: false })] : []
    const editor = new EditorView({
      parent: place.current!,
      state: EditorState.create({
        doc: begun.current,
        extensions: [
          lineNumbers(), lintGutter(), history(), drawSelection(), highlightActiveLine(), bracketMatching(), indentUnit.of('  '),
          syntaxHighlighting(colours), look, language, EditorView.contentAttributes.of({ 'aria-label': label, spellcheck: 'false', tabindex: '0' }),
          keymap.of([...completionKeymap, ...defaultKeymap, ...historyKeymap, indentWithTab]),
          EditorView.updateListener.of((update) => {
            if (!update.docChanged) return
            begun.current = update.state.doc.toString()
            changed.current(begun.current)
          }),
        ],
      }),
    })
    view.current = editor
    return () => editor.destroy()
  }, [label, schema])
  useImperativeHandle(handle, () => ({
    goTo: (line) => {
      const { from, to } = lineOf(view.current!, line)
      view.current!.dispatch({ selection: { anchor: from, head: to }, effects: EditorView.scrollIntoView(from, { y: 'center' }) })
      view.current!.focus()
    },
    replace: (whole) => {
      const doc = view.current!.state.doc
      if (doc.toString() !== whole) view.current!.dispatch({ changes: { from: 0, to: doc.length, insert: whole } })
    },
  }))
  useEffect(() => {
    const editor = view.current!
    editor.dispatch(setDiagnostics(editor.state, problems.map(({ line, message }) => ({ ...lineOf(editor, line), severity: 'error', message }))))
  }, [problems, schema, label])
  return <div className="editor" ref={place} />
}

/** A line from its first letter to its end; a text may have become shorter than what was checked. */
function lineOf(view: EditorView, line: number): { from: number; to: number } {
  const { from, to, text } = view.state.doc.line(Math.min(Math.max(line, 1), view.state.doc.lines))
  return { from: Math.min(to, from + text.length - text.trimStart().length), to }
}
