/** Zooms step by step, so that the map can be drawn in between. */
export function zoomTo(state: { zoom: number }, wanted: number): number {
  if (state.zoom === wanted) return state.zoom
  return stepZoom(state, wanted)
}

function stepZoom(state: { zoom: number }, wanted: number): number {
  state.zoom *= 1.5
  return zoomTo(state, wanted)
}
