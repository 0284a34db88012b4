<script setup lang="ts">
import { computed } from 'vue'

import { inHex, inLetters } from '../../words'

/** Bytes by sixteen in a row, beside the letters that they are. */
const props = defineProps<{ data: Uint8Array; at?: number; sign?: string; label: string }>()

const width = 16
const rows = computed(() => {
  const out = []
  for (let i = 0; i < props.data.length; i += width) {
    const row = props.data.subarray(i, i + width)
    const offset =
      props.at === undefined ? '' : (props.at + i).toString(16).toUpperCase().padStart(4, '0') + '  '
    out.push(`${props.sign ?? ''}${offset}${inHex(row).padEnd(47)}  ${inLetters(row)}`)
  }
  return out.join('\n')
})
</script>

<template>
  <div class="box">
    <pre class="hex" tabindex="0" role="group" :aria-label="label">{{ rows }}</pre>
  </div>
</template>

<style scoped>
.box {
  container-type: inline-size;
}

.hex {
  font-family: var(--mono);
  font-size: clamp(0.62rem, 2.05cqi, 0.75rem);
  line-height: 1.45;
  overflow: auto;
  max-height: 340px;
}
</style>
