import { useEffect, useState } from 'react'

const stored = () => localStorage.getItem('theme')
const systemIsDark = () => window.matchMedia('(prefers-color-scheme: dark)').matches

/** Whether the dark theme is on: as the user chose, else as the system has it. */
export function useTheme(): [dark: boolean, toggle: () => void] {
  const [dark, setDark] = useState(() => (stored() ?? (systemIsDark() ? 'dark' : 'light')) === 'dark')
  useEffect(() => {
    document.documentElement.dataset.bsTheme = dark ? 'dark' : 'light'
    window.dispatchEvent(new Event('themechange'))
  }, [dark])
  const toggle = () => {
    localStorage.setItem('theme', dark ? 'light' : 'dark')
    setDark(!dark)
  }
  return [dark, toggle]
}
