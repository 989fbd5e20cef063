// Sets the theme before the first paint: what was chosen, else the system's.
const chosen = localStorage.getItem('firethorn.theme')
document.documentElement.dataset.theme = chosen ?? (matchMedia('(prefers-color-scheme: dark)').matches ? 'hedge' : 'blossom')
// A part that does not load is said, and not an empty page.
const stuck = () => {
  const words = document.getElementById('starting')
  if (words) words.hidden = false
}
addEventListener('error', (e) => e.target instanceof HTMLScriptElement && stuck(), true)
setTimeout(stuck, 10_000)
