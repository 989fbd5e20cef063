<!-- A deck, with what Vue's components are made of. <script>not this one</script> -->
<script lang="ts">
export const label = (n: number): string => { here(); return `deck ${n}` }
</script>

<script setup lang="ts" generic="T extends { id: number }">
import { computed, onServerPrefetch, reactive, ref, watch } from 'vue'
import { here } from './here'
import Berth from './Berth.vue'

const props = withDefaults(defineProps<{ rows?: { id: number }[]; pick?: (id: number) => void }>(), { rows: () => { here(); return [{ id: 1 }, { id: 2 }] } })
const open = ref<boolean>(true)
const state = reactive({ seats: 3, get free() { here(); return this.seats } })
const count = computed<number>(() => { here(); return props.rows.length })
function total<N extends number>(n: N): number { here(); return [n].reduce((a, b) => { here(); return a + b }, 0) }
const wait = async (n: number): Promise<number> => { here(); await null; here(); return n }
class Mast { #height = 1; get height(): number { here(); return this.#height } raise = (by: number) => { here(); this.#height += by }; }
const mast = new Mast()
mast.raise(2)
here(mast.height)
onServerPrefetch(async () => { here(); await wait(1) })
watch(open, (now) => { here(now) }, { immediate: true })
</script>

<template>
  <section v-if="open" :data-free="state.free">
    <p v-for="row in props.rows" :key="row.id">{{ label(row.id) }} of {{ total(count) }}</p>
    <Berth :depth="4" />
  </section>
</template>

<style scoped>p { margin: 0 }</style>
