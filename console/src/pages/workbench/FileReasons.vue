<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../../api/client'
import { kinds, oneLine } from '../../words'

/** All that speaks for and against what a file could be. */
const props = defineProps<{ file: Schemas['BenchFileShown'] }>()

const groups = computed(() =>
  props.file.points.map((p) => ({
    ...p,
    evidence: props.file.evidence.filter((e) => e.kind === p.kind),
  })),
)
const signed = (n: number) => `${n < 0 ? '−' : '+'}${Math.abs(n).toFixed(1)}`
</script>

<template>
  <div>
    <ul v-if="groups.length === 0" class="reasons plain">
      <li v-for="r in file.reasons" :key="r" class="wrap">{{ oneLine(r) }}</li>
    </ul>
    <section v-for="(g, i) in groups" :key="g.kind" class="group">
      <h3>
        {{ kinds[g.kind] }}
        <span class="share">{{ i === 0 ? 'most likely, ' : '' }}{{ Math.round(g.share * 100) }} %</span>
        <span class="bar" aria-hidden="true"><span :style="{ width: `${g.share * 100}%` }" /></span>
      </h3>
      <p v-if="g.kind === 'unknown'" class="quiet">threshold that a kind must exceed: {{ signed(g.sum) }}</p>
      <ul v-else class="list">
        <li v-for="e in g.evidence" :key="e.text" :class="{ against: e.weight < 0 }">
          <span class="weight mono">{{ signed(e.weight) }}</span><span class="wrap">{{
            oneLine(e.text)
          }}</span>
        </li>
      </ul>
    </section>
  </div>
</template>

<style scoped>
.group + .group {
  margin-top: var(--space-2);
}

h3 {
  display: flex;
  align-items: center;
  gap: var(--space-2);
  font-size: var(--text-body);
}

.share {
  font-weight: 400;
  white-space: nowrap;
}

.bar {
  flex: 1;
  height: 6px;
  border-radius: 3px;
  background: rgba(var(--v-theme-on-surface), 0.1);
}

.bar span {
  display: block;
  height: 100%;
  border-radius: 3px;
  background: rgb(var(--v-theme-primary));
}

.list {
  list-style: none;
  padding: 0;
  margin: var(--space-hair) 0 0;
  font-size: var(--text-mono);
}

.list li {
  display: flex;
  gap: var(--space-2);
  padding: 1px 0;
}

.weight {
  flex: 0 0 2.8em;
  text-align: right;
}

.against .weight {
  color: rgb(var(--v-theme-error));
}
</style>
