// The theme stands before the page is drawn, so that it does not flash: as it was chosen, else as the system has it.
document.documentElement.dataset.bsTheme = localStorage.getItem('theme') ?? (matchMedia('(prefers-color-scheme: dark)').matches ? 'dark' : 'light')
