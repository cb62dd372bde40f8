import type { Data, Layout } from 'plotly.js'
import { useEffect, useRef, useState } from 'react'

/** The colours of the theme as a figure needs them. */
export type Colours = Record<'ink' | 'slate' | 'line' | 'teal' | 'ochre' | 'plum' | 'panel', string>

export function readColours(): Colours {
  const style = getComputedStyle(document.documentElement)
  const read = (name: string) => style.getPropertyValue(`--${name}`).trim()
  return { ink: read('ink'), slate: read('slate'), line: read('line'), teal: read('teal'), ochre: read('ochre'), plum: read('plum'), panel: read('panel') }
}

/** An axis with its name and unit, as every figure has it. */
export function axis(title: string, colours: Colours): Partial<Layout['xaxis']> {
  return {
    title: { text: title, font: { size: 12, color: colours.slate }, standoff: 6 },
    gridcolor: colours.line, linecolor: colours.slate, zeroline: false, showline: true, ticks: 'outside', ticklen: 4, tickcolor: colours.slate,
    tickfont: { size: 11, color: colours.slate }, automargin: true,
  }
}

export type Plot = { data: Data[]; layout: Partial<Layout> }

/** A figure drawn by Plotly, which is loaded when the first one is needed. */
export function Figure({ draw, height, label }: { draw: (colours: Colours) => Plot; height: number; label: string }) {
  const element = useRef<HTMLDivElement>(null)
  const [theme, setTheme] = useState(0)
  useEffect(() => {
    const changed = () => setTheme((n) => n + 1)
    window.addEventListener('themechange', changed)
    return () => window.removeEventListener('themechange', changed)
  }, [])
  useEffect(() => {
    let current = true
    void import('plotly.js-basic-dist-min').then(({ default: Plotly }) => {
      if (!current || !element.current) return
      const colours = readColours()
      const { data, layout } = draw(colours)
      void Plotly.react(
        element.current,
        data,
        {
          height, margin: { l: 56, r: 16, t: 8, b: 40 }, paper_bgcolor: 'transparent', plot_bgcolor: 'transparent', showlegend: false,
          font: { family: 'system-ui, "Segoe UI", Roboto, Arial, sans-serif', color: colours.ink, size: 12 }, hovermode: 'closest',
          hoverlabel: { bgcolor: colours.panel, bordercolor: colours.line, font: { color: colours.ink } },
          ...layout,
        },
        { displayModeBar: false, responsive: true },
      )
    })
    return () => {
      current = false
    }
  }, [draw, height, theme])
  useEffect(() => {
    const drawn = element.current
    return () => void (drawn && import('plotly.js-basic-dist-min').then(({ default: Plotly }) => Plotly.purge(drawn)))
  }, [])
  return <div ref={element} className="figure" style={{ height }} role="img" aria-label={label} />
}
