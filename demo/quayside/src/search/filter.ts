export interface Filter {
  from?: string
  to?: string
}

/** Reads the filter that was saved on the last visit. */
export function restoreFilter(saved: string): Filter {
  const raw = JSON.parse(saved) as Filter
  return { from: raw.from, to: raw.to }
}
