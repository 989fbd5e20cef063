/**
 * Puts a function in the place of the one that is there at this moment, which
 * it gets: whatever others have wrapped stays wrapped. An application that has
 * frozen it keeps it.
 */
export function patch<T extends object, K extends keyof T>(object: T, name: K, make: (plain: T[K]) => T[K]): void {
  try {
    object[name] = make(object[name])
  } catch {
    // frozen: what would have been seen there is not
  }
}
