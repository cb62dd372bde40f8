import { useSyncExternalStore } from 'react'

const names = ['ink', 'slate', 'line', 'teal', 'ochre', 'plum', 'panel', 'shade-0', 'shade-1', 'shade-2', 'shade-3'] as const

/** The colours of the theme as a canvas needs them; the shades go from little to much. */
export type Colours = Record<(typeof names)[number], string>


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

const stops = ['shade-0', 'shade-1', 'shade-2', 'shade-3'] as const

/** The colour of a share of the way from little to much. */
export function shade(share: number, colours: Colours): string {
  const at = Math.min(1, Math.max(0, share)) * (stops.length - 1)
  const k = Math.min(Math.floor(at), stops.length - 2)
  const [a, b] = [channels(colours[stops[k]!]), channels(colours[stops[k + 1]!])]
  return `rgb(${a.map((v, i) => Math.round(v + (at - k) * (b[i]! - v))).join(' ')})`
}

const channels = (hex: string) => [1, 3, 5].map((i) => Number.parseInt(hex.slice(i, i + 2), 16))
