<script setup lang="ts">
import type { Schemas } from '../../api/client'
import { count, holds, oneLine } from '../../words'
import LocationText from '../../components/LocationText.vue'

/** What a decision would add to the manifest, and what stands against it. */
defineProps<{ changes: Schemas['Change'][]; conflicts: Schemas['Conflict'][] }>()
</script>

<template>
  <v-card class="pa-4">
    <ul class="changes">
      <li v-for="c in changes" :key="c.what + c.at + c.variant">
        <template v-if="c.what === 'joins-title'"
          >it joins the title <strong>{{ c.title }}</strong>, which the draft writes {{ c.written }}</template
        >
        <template v-else-if="c.what === 'new-title'">a new title</template>
        <template v-else-if="c.what === 'new-variant'">a new variant: {{ c.variant }}</template>
        <template v-else-if="c.at">
          <LocationText :at="c.at" />
          <span class="quiet ml-2">
            <template v-if="c.what === 'new-location'"
              >is new ({{ holds[c.holds ?? ''] ?? c.holds }}), and would be {{ c.after }}</template
            >
            <template v-else-if="c.what === 'new-notes'"
              >gets notes on the structure of its files: {{ oneLine(c.notes ?? '') }}</template
            >
            <template v-else-if="c.before !== c.after"
              >goes from {{ c.before }} to {{ c.after }}, with
              {{ count(c.evidence ?? 0, 'run', 'runs') }}</template
            >
            <template v-else>stays {{ c.after }}, with {{ count(c.evidence ?? 0, 'run', 'runs') }}</template>
          </span>
        </template>
      </li>
      <li v-if="!changes.length" class="quiet">nothing</li>
    </ul>
    <div v-for="k in conflicts" :key="k.at + k.titles_at" class="conflict mt-3" role="alert">
      It cannot be accepted: <LocationText :at="k.at" /> can match files of
      <router-link :to="`/titles/${encodeURIComponent(k.title)}`">{{ k.title_name }}</router-link>, which
      keeps its own in <LocationText :at="k.titles_at" />
    </div>
  </v-card>
</template>

<style scoped>
.changes {
  padding-left: 1.1em;
}

.conflict {
  color: rgb(var(--v-theme-error));
}
</style>
