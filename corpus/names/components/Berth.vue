<template><i>{{ twice }} {{ name() }}</i></template>
<script lang="ts">
import { defineComponent } from 'vue'
import { here } from './here'
const half = (n: number) => { here(); return n / 2 }
export default defineComponent({
  props: { depth: { type: Number, default() { here(); return 2 } } },
  setup(props) { here(); return { base: half(props.depth) } },
  data() { here(); return { list: [1, 2].map((n) => { here(); return n }) } },
  computed: { twice(): number { here(); return this.depth * 2 } },
  created() { here() },
  methods: { name(): string { here(); return this.list.join() } },
})
</script>
