/** A release brought to an environment. */
type Deploy = { environment: string; at: string; by: string }

/** Of deploys, the oldest first, the last one to each environment, the newest first. */
export function latestDeploys(deploys: Deploy[]): Deploy[] {
  const last = new Map<string, Deploy>()
  for (const d of deploys) {
    last.delete(d.environment) // so that it goes to the end
    last.set(d.environment, d)
  }
  return [...last.values()].reverse()
}
