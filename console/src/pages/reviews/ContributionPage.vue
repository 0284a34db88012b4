<script setup lang="ts">
import { computed, toRef } from 'vue'

import DecisionPanel from './DecisionPanel.vue'
import DraftLocations from './DraftLocations.vue'
import FootprintCorrections from './FootprintCorrections.vue'
import FootprintFiles from './FootprintFiles.vue'
import ManifestChanges from './ManifestChanges.vue'
import DetailPage from '../../components/DetailPage.vue'
import ProofReview from './ProofReview.vue'
import SheetReview from './SheetReview.vue'
import { useContribution } from '../../queries'
import { moment } from '../../words'

const props = defineProps<{ number: number }>()
const query = useContribution(toRef(props, 'number'))
const x = computed(() => query.data.value)
const asks = computed(() => (x.value ? `Asks to ${x.value.statement}` : ''))
</script>

<template>
  <DetailPage
    :list="{ title: 'Reviews', to: '/reviews' }"
    :name="x ? `${x.title}, contribution ${x.number}` : ''"
    :query="query"
  >
    <template v-if="x">
      <h1>{{ x.title }}</h1>
      <p class="quiet">Contribution {{ x.number }} by {{ x.by || 'somebody' }}, {{ moment(x.submitted) }}</p>
      <p class="mb-3">
        {{ x.sheet ? `The sheet of the launcher ${x.sheet.id}` : x.proof ? asks : x.variant || asks }}
      </p>

      <DecisionPanel :contribution="x" />

      <SheetReview v-if="x.sheet" :sheet="x.sheet" :waiting="x.state === 'waiting'" />
      <template v-else>
        <section v-if="x.draft" aria-labelledby="locations">
          <h2 id="locations" class="mt-5 mb-2">Proposed locations</h2>
          <DraftLocations :contribution="x" />
        </section>

        <ProofReview v-if="x.proof" :proof="x.proof" />

        <section v-if="x.state !== 'returned'" aria-labelledby="changes">
          <h2 id="changes" class="mt-5 mb-2">
            {{
              x.state === 'waiting' ? 'What accepting would change in the manifest' : 'What accepting changed'
            }}
          </h2>
          <ManifestChanges :changes="x.changes" :conflicts="x.conflicts" :refused="x.refused" />
        </section>

        <section v-if="x.draft?.questions?.length || x.reason" aria-labelledby="questions">
          <h2 id="questions" class="mt-5 mb-2">From the contributor</h2>
          <v-card class="pa-4">
            <p v-if="x.reason" class="wrap note">{{ x.reason }}</p>
            <template v-if="x.draft?.questions?.length">
              <p><strong>What the run did not decide</strong></p>
              <ul class="reasons">
                <li v-for="q in x.draft?.questions" :key="q.ask" class="wrap">
                  {{ q.ask }}
                  <div v-if="q.answer">
                    Answer: <strong>{{ q.answer }}</strong>
                  </div>
                  <div v-else class="quiet">not answered</div>
                </li>
              </ul>
            </template>
          </v-card>
        </section>

        <section v-if="x.footprint" aria-labelledby="footprint">
          <h2 id="footprint" class="mt-5 mb-2">Footprint</h2>
          <p class="mb-2">
            <router-link :to="`/reviews/${x.number}/workbench`">Open it in the workbench</router-link>, with
            the timeline and the folders, to look into it, try other patterns, or correct a kind.
          </p>
          <FootprintCorrections :corrections="x.footprint?.corrections ?? []" />
          <FootprintFiles v-if="x.footprint" :footprint="x.footprint" :coverage="x.coverage" />
        </section>
      </template>
    </template>
  </DetailPage>
</template>

<style scoped>
.note {
  white-space: pre-line;
}
</style>
