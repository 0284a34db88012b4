<script setup lang="ts">
import { computed, toRef } from 'vue'

import LocationRows from '../../components/LocationRows.vue'
import DetailPage from '../../components/DetailPage.vue'
import EvidenceList from '../../components/EvidenceList.vue'
import StandingMark from '../../components/StandingMark.vue'
import MissingEvidence from './MissingEvidence.vue'
import OwnFiles from './OwnFiles.vue'
import PutRight from './PutRight.vue'
import TitleHistory from './TitleHistory.vue'
import { useTitle } from '../../queries'
import { count, ownSystem, sentence, shellQuote, systems } from '../../words'

const props = defineProps<{ id: string }>()
const title = useTitle(toRef(props, 'id'))
const own = ownSystem()

const cloudKeeps: Record<string, string> = {
  all: 'The launcher’s cloud keeps all of it.',
  part: 'The launcher’s cloud keeps part of it; what it keeps is said of each location.',
  none: 'The launcher’s cloud keeps nothing of it.',
}

const described = computed(() => [title.data.value?.year, title.data.value?.maker].filter(Boolean).join(', '))

// The visitor's own system first.
const variants = computed(() =>
  [...(title.data.value?.variants ?? [])].sort((a, b) => Number(b.os === own) - Number(a.os === own)),
)
</script>

<template>
  <DetailPage :list="{ title: 'Titles', to: '/titles' }" :name="title.data.value?.name ?? ''" :query="title">
    <template v-if="title.data.value">
      <h1>
        {{ title.data.value.name }}
        <span v-if="described" class="quiet described">{{ described }}</span>
      </h1>
      <p v-if="title.data.value.names.length" class="quiet">
        also called {{ title.data.value.names.join(', ') }}
      </p>
      <p class="quiet mb-4">
        {{ count(variants.length, 'variant', 'variants') }}. On your own machine,
        <span class="mono">endroit locate {{ shellQuote(title.data.value.name) }}</span> shows the full paths
        and what is there.
      </p>
      <v-card v-for="v in variants" :key="v.name" class="mb-4" tag="section" :aria-label="v.name">
        <div class="px-4 py-3">
          <h2>
            {{ systems[v.os] ?? v.os
            }}<template v-if="v.runtime === 'prefix'">, Windows build in a compatibility prefix</template>
          </h2>
          <p class="quiet">
            <template v-if="v.store"
              >sold by {{ v.store }}<template v-if="v.ref"> as {{ v.ref }}</template></template
            ><template v-else>from any store</template
            ><template v-if="v.launcher">, started by {{ v.launcher }}</template>
          </p>
        </div>
        <div v-if="v.absence" class="px-4 py-3">
          <p>
            None of its progress is kept on the machine.
            <StandingMark :standing="v.absence.standing" :reason="v.absence.reason" />
          </p>
          <p class="quiet">{{ sentence(v.absence.reason) }}</p>
          <EvidenceList :evidence="v.absence.evidence" />
        </div>
        <div v-if="v.cloud" class="px-4 py-3">{{ cloudKeeps[v.cloud] }}</div>
        <LocationRows v-if="v.locations.length" :locations="v.locations" forms />
        <OwnFiles :title="title.data.value.name" :variant="v" />
        <MissingEvidence :variant="v" />
      </v-card>
      <PutRight :key="title.data.value.id" :title="title.data.value" />
      <TitleHistory :id="title.data.value.id" :changes="title.data.value.changes" />
    </template>
  </DetailPage>
</template>

<style scoped>
.described {
  font-size: 1rem;
  font-weight: 400;
}
</style>
