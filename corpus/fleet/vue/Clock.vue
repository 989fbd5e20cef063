<script lang="ts">
import { defineComponent } from 'vue'
export default defineComponent({
  props: { zone: { type: String, required: true } },
  data: () => ({ now: '' }),
  mounted() { this.tick() },
  methods: {
    tick() { this.now = new Intl.DateTimeFormat('en', { timeZone: this.zone }).format(0) },
  },
})
</script>
<template><time>{{ now }}</time></template>
