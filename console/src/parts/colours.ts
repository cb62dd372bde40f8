import { useSyncExternalStore } from 'react'

/** The colours of the theme as a canvas needs them. */
export type Colours = Record<'ink' | 'slate' | 'line' | 'teal' | 'ochre' | 'plum' | 'panel', string>

const names = ['ink', 'slate', 'line', 'teal', 'ochre', 'plum', 'panel'] as const

let read: Colours | undefined

function colours(): Colours {
  if (!read) {
    const style = getComputedStyle(document.documentElement)
    read = Object.fromEntries(names.map((name) => [name, style.getPropertyValue(`--${name}`).trim()])) as Colours
  }
  return read
}

function onTheme(changed: () => void) {
  const listener = () => {
    read = undefined
    changed()
  }
  window.addEventListener('themechange', listener)
  return () => window.removeEventListener('themechange', listener)
}

/** The colours that are in force. */
export const useColours = () => useSyncExternalStore(onTheme, colours)
