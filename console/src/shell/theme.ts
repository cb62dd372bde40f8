import { useSyncExternalStore } from 'react'

const root = document.documentElement

/** Puts a theme on the page, and tells figures, which draw with its colours. */
function put(theme: string) {
  root.dataset.bsTheme = theme
  window.dispatchEvent(new Event('themechange'))
}

/** Hears of a change here, or in another tab. */
function listen(changed: () => void) {
  const elsewhere = (event: StorageEvent) => {
    if (event.key === 'theme' && event.newValue) put(event.newValue)
  }
  window.addEventListener('storage', elsewhere)
  window.addEventListener('themechange', changed)
  return () => {
    window.removeEventListener('storage', elsewhere)
    window.removeEventListener('themechange', changed)
  }
}

const isDark = () => root.dataset.bsTheme === 'dark'

/** Whether the dark theme is on; theme.js has put the one that stands at the beginning. */
export function useTheme(): [dark: boolean, toggle: () => void] {
  const dark = useSyncExternalStore(listen, isDark)
  return [
    dark,
    () => {
      const theme = dark ? 'light' : 'dark'
      localStorage.setItem('theme', theme)
      put(theme)
    },
  ]
}
