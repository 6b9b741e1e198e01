const KEY = 'routrel-theme'
export type Theme = 'light' | 'dark'

function preferred(): Theme {
  return window.matchMedia('(prefers-color-scheme: dark)').matches ? 'dark' : 'light'
}

export function currentTheme(): Theme {
  const kept = localStorage.getItem(KEY)
  return kept === 'light' || kept === 'dark' ? kept : preferred()
}

/** Fill the tokens with the theme kept or preferred; called before the first paint. */
export function applyTheme(theme: Theme = currentTheme()) {
  document.documentElement.dataset.theme = theme
}

export function keepTheme(theme: Theme) {
  localStorage.setItem(KEY, theme)
  applyTheme(theme)
}
