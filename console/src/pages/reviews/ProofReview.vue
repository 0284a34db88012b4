<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../../api/client'
import LocationText from '../../components/LocationText.vue'
import { amount, holds, moment, sentence } from '../../words'

/** An experiment: what it showed, its first and last start side by side, and all steps. */
const props = defineProps<{ proof: Schemas['ProofShown'] }>()

const rounds = computed(() => props.proof.rounds)

const comparison = computed(() => {
  if (props.proof.by_list) return 'What is listed'
  return asked.value ? 'The starts compared' : 'What was found afterwards'
})

/** The starts that are compared: with all away, and with all in place. */
const compared = computed(() =>
  rounds.value.length > 1 ? [rounds.value[0]!, rounds.value.at(-1)!] : rounds.value,
)

const asked = computed(() => rounds.value.some((r) => r.question))

function seen(round: Schemas['ProofRound'], at: string): string {
  return [...round.sees, ...round.became].find((s) => s.at === at)?.says ?? ''
}

function heading(round: Schemas['ProofRound']): string {
  if (props.proof.by_list) return "In the launcher's list"
  if (!asked.value) return 'Afterwards'
  if (!round.away.length) return 'With all in place'
  return round.away.length === props.proof.locations.length ? 'With all away' : 'With some away'
}
</script>

<template>
  <section aria-labelledby="shown">
    <h2 id="shown" class="mt-5 mb-2">{{ proof.by_list ? 'What was found' : 'What was shown' }}</h2>
    <v-card>
      <ul class="rows">
        <li v-for="l in proof.locations" :key="l.at" class="row">
          <strong>{{ l.result }}</strong>
          <span class="where">
            <LocationText :at="l.at" />
            <span class="quiet">{{ holds[l.holds] ?? l.holds }}, {{ amount(l.at, l.files) }}</span>
            <span class="why">{{ sentence(l.why) }}</span>
          </span>
        </li>
      </ul>
    </v-card>
    <p class="quiet mt-2">
      {{ proof.by_list ? 'Read' : 'Led' }} by {{ proof.by }} on {{ moment(proof.began)
      }}<template v-if="proof.version"> with version {{ proof.version }}</template
      >.
    </p>
  </section>

  <section aria-labelledby="compared">
    <h2 id="compared" class="mt-5 mb-2">{{ comparison }}</h2>
    <v-card class="compared">
      <table>
        <thead>
          <tr>
            <th scope="col">Location</th>
            <th v-for="(r, i) in compared" :key="i" scope="col">{{ heading(r) }}</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="l in proof.locations" :key="l.at">
            <th scope="row"><LocationText :at="l.at" /></th>
            <td v-for="(r, i) in compared" :key="i">
              {{ seen(r, l.at) || 'not seen' }}
            </td>
          </tr>
          <tr v-if="asked" class="answers">
            <th scope="row">{{ compared[0]?.question }}</th>
            <td v-for="(r, i) in compared" :key="i">
              <strong>{{ r.answer }}</strong>
            </td>
          </tr>
        </tbody>
      </table>
    </v-card>
  </section>

  <section aria-labelledby="steps">
    <h2 id="steps" class="mt-5 mb-2">All steps</h2>
    <p v-if="!proof.by_list" class="quiet mb-2">After each of them all files were brought back.</p>
    <v-card class="pa-4">
      <ol class="rounds">
        <li v-for="(r, i) in rounds" :key="i">
          <ul class="reasons">
            <li v-for="s in r.steps" :key="s" class="wrap">{{ sentence(s) }}</li>
            <li v-if="r.question">
              {{ r.question }} <strong>{{ sentence(r.answer) }}</strong>
            </li>
            <li v-if="r.contradiction" class="warning">{{ sentence(r.contradiction) }}</li>
          </ul>
        </li>
      </ol>
    </v-card>
  </section>
</template>

<style scoped>
.row {
  align-items: start;
}

.where > * {
  display: block;
}

.why {
  font-size: var(--text-note);
}

.compared {
  overflow-x: auto;
}

table {
  width: 100%;
  border-collapse: collapse;
}

th,
td {
  padding: var(--space-2) var(--space-4);
  text-align: left;
  vertical-align: top;
}

tbody th {
  font-weight: 400;
}

thead th {
  font-weight: 700;
}

tr + tr > *,
tbody tr:first-child > * {
  border-top: 1px solid rgb(var(--v-theme-on-surface), 0.12);
}

.rounds {
  padding-left: 1.4em;
}

.rounds > li + li {
  margin-top: var(--space-2);
}

.warning {
  color: rgb(var(--v-theme-error));
}
</style>
