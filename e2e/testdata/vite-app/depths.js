/** The depth of water at a pier. */
export function depthAt(pier) {
  return pier.soundings.at(-1).metres
}
