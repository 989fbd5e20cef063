<script module lang="ts">
  import { here } from './here'
  export function shared(n: number): number { here(); return n }
</script>
<script lang="ts">
  let { rows = [1, 2], pick = (n: number) => { here(); return n } }: { rows?: number[]; pick?: (n: number) => number } = $props()
  const label = (n: number): string => { here(); return `quay ${shared(n)}` }
  const sum = $derived.by(() => { here(); return rows.reduce((a: number, b: number) => { here(); return a + b }, 0) })
  async function wait(): Promise<void> { here(); await null; here() }
  class Rope { length = $state(1); pull = (n: number) => { here(); this.length += n }; static of() { here(); return new Rope() } }
  Rope.of().pull(2)
  void wait()
  here()
</script>

{#each rows as row}<p>{label(pick(row))}</p>{/each}
<b>{sum}</b>
