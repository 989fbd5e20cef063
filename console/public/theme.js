// Sets the theme before the first paint: what was chosen, else the system's.
const chosen = localStorage.getItem('firethorn.theme')
document.documentElement.dataset.theme = chosen ?? (matchMedia('(prefers-color-scheme: dark)').matches ? 'hedge' : 'blossom')
