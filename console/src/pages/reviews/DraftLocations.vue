<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../../api/client'
import { count, holds, oneLine } from '../../words'
import LocationText from '../../components/LocationText.vue'
import StandingMark from '../../components/StandingMark.vue'

/** The locations that a draft proposes: what each covers of the footprint, and why it is as it is. */
const props = defineProps<{ contribution: Schemas['ContributionShown'] }>()

const rows = computed(() =>
  (props.contribution.draft?.locations ?? []).map((l, i) => ({
    ...l,
    shown: props.contribution.locations.find((s) => s.at === l.at && s.holds === l.holds),
    covered: props.contribution.coverage[i],
  })),
)

/** Says what a location covers, and what of that is of another kind than it should hold. */
function covers(c: Schemas['Covered']): { text: string; doubt: string } {
  const kinds = Object.entries(c.kinds)
  const other = kinds.filter(([k]) => k !== c.holds)
  const text = `covers ${count(c.files.length, 'observed file', 'observed files')}`
  return { text, doubt: other.map(([k, n]) => `${n} of them ${k}`).join(', ') }
}
</script>

<template>
  <v-card>
    <ul class="rows">
      <li v-for="l in rows" :key="l.holds + l.at" class="row">
        <span class="holds">{{ holds[l.holds] ?? l.holds }}</span>
        <div>
          <LocationText :at="l.at" :means="l.shown?.means" :forms="l.shown?.forms" />
          <p v-if="l.covered" class="quiet">
            {{ covers(l.covered).text
            }}<strong v-if="covers(l.covered).doubt" class="doubt">, {{ covers(l.covered).doubt }}</strong>
          </p>
          <p v-if="l.sources?.other" class="chosen">
            {{ count(l.sources.other, 'name', 'names') }} in it: in none of the program’s
            {{ count(l.sources.files, 'file', 'files') }} that were searched, so a player may have chosen it
          </p>
          <p v-if="l.shown?.notes_summary" class="quiet wrap">
            its files: {{ oneLine(l.shown.notes_summary) }}
          </p>
          <ul v-if="l.why?.length" class="reasons quiet">
            <li v-for="w in l.why" :key="w" class="wrap">{{ w }}</li>
          </ul>
        </div>
        <span v-if="l.shown?.standing" class="standing"
          ><span v-if="contribution.state === 'waiting'" class="quiet">would be</span
          ><StandingMark :standing="l.shown.standing" :reason="l.shown.reason"
        /></span>
      </li>
    </ul>
  </v-card>
</template>

<style scoped>
.chosen {
  color: rgb(var(--v-theme-error));
}

.holds {
  line-height: 1.9;
}

.standing {
  display: inline-flex;
  align-items: baseline;
  gap: var(--space-1);
}

.doubt {
  color: rgb(var(--v-theme-error));
}
</style>
