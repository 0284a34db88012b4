<script setup lang="ts">
import { ref } from 'vue'

import type { Schemas } from '../api/client'
import { count, holds, oneLine, sentence } from '../words'
import EvidenceList from './EvidenceList.vue'
import LocationText from './LocationText.vue'
import PathForms from './PathForms.vue'
import StandingMark from './StandingMark.vue'

/** The locations of one variant, with what each holds, its standing and the evidence. */
defineProps<{
  locations: Schemas['Location'][]
  /** Whether every form of the path is shown, not only behind the copy button. */
  forms?: boolean
}>()

const open = ref<Record<string, boolean>>({})
</script>

<template>
  <ul class="rows headed">
    <li v-for="l in locations" :key="l.holds + l.at" class="row">
      <span class="holds">{{ holds[l.holds] ?? l.holds }}</span>
      <span class="where">
        <LocationText :at="l.at" :means="l.means" :forms="l.forms" />
        <span v-if="l.usual" class="usual quiet"
          >usually <span class="mono">{{ l.usual }}</span></span
        >
        <span v-if="l.versions !== 'all versions'" class="usual">only {{ l.versions }}</span>
        <span v-if="l.belongs" class="usual quiet">belongs to the {{ l.belongs }}</span>
        <span v-if="!l.usable" class="usual" :class="{ warning: l.standing === 'disputed' }"
          >{{ sentence(l.reason) }} Programs do not change files by it.</span
        >
        <span v-for="h in l.hazards.filter((x) => x.destroys)" :key="h.text" class="usual warning">{{
          sentence(h.text)
        }}</span>
        <span v-if="l.cloud" class="usual quiet">{{
          l.cloud === 'kept' ? 'the launcher’s cloud keeps it' : 'the launcher’s cloud does not keep it'
        }}</span>
        <span v-if="l.notes_summary" class="usual quiet">its files: {{ oneLine(l.notes_summary) }}</span>
        <PathForms v-if="forms && l.standing !== 'withdrawn'" :forms="l.forms" />
      </span>
      <span class="proof">
        <StandingMark :standing="l.standing" :reason="l.reason" />
        <v-btn
          v-if="l.evidence.length"
          variant="text"
          size="small"
          class="more"
          :aria-expanded="!!open[l.holds + l.at]"
          @click="open[l.holds + l.at] = !open[l.holds + l.at]"
        >
          {{ count(l.evidence.length, 'statement', 'statements') }}
        </v-btn>
      </span>
      <div v-if="open[l.holds + l.at]" class="evidence">
        <p class="quiet mb-1">{{ l.reason }}</p>
        <EvidenceList :evidence="l.evidence" />
        <template v-if="l.raise.length">
          <p class="mt-2 mb-1">What would raise its standing:</p>
          <ul class="reasons">
            <li v-for="r in l.raise" :key="r">{{ r }}</li>
          </ul>
        </template>
      </div>
    </li>
  </ul>
</template>

<style scoped>
.row {
  align-items: center;
}

.usual {
  display: block;
  font-size: var(--text-note);
  overflow-wrap: anywhere;
}

.warning {
  color: rgb(var(--v-theme-error));
}

.proof {
  display: inline-flex;
  align-items: center;
  gap: var(--space-1);
}

.more {
  text-decoration: underline dotted;
}

.evidence {
  grid-column: 2 / -1;
  padding-bottom: var(--space-2);
}

@media (max-width: 720px) {
  .evidence {
    grid-column: 1;
  }
}
</style>
