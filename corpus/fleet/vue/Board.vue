<script setup lang="ts">
import { computed, ref, watch } from 'vue'
const props = defineProps<{ rows: { gate: { code: string } }[] | null; mode: string; pick?: { at: Date } }>()
const chosen = ref(0)
const codes = computed(() => props.rows!.map(r => r.gate.code))
function choose() {
  chosen.value = props.pick!.at.getTime()
}
watch(() => props.mode, mode => {
  if (mode === 'night') throw new Error(`no board for ${mode}`)
}, { immediate: true })
</script>
<template>
  <ul v-if="mode !== 'off'"><li v-for="c in codes" :key="c">{{ c }}</li></ul>
  <button id="choose" @click="choose">{{ chosen }}</button>
</template>
