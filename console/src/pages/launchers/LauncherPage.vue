<script setup lang="ts">
import { computed, toRef } from 'vue'

import EvidenceList from '../../components/EvidenceList.vue'
import DetailPage from '../../components/DetailPage.vue'
import SheetSystems from './SheetSystems.vue'
import SheetText from './SheetText.vue'
import StandingMark from '../../components/StandingMark.vue'
import { useLauncher } from '../../queries'

const props = defineProps<{ id: string }>()
const query = useLauncher(toRef(props, 'id'))
const launcher = computed(() => query.data.value)
</script>

<template>
  <DetailPage :list="{ title: 'Launchers', to: '/launchers' }" :name="launcher?.name ?? ''" :query="query">
    <template v-if="launcher">
      <h1>{{ launcher.name }}</h1>
      <p class="mb-1">
        <StandingMark :standing="launcher.standing" :reason="launcher.reason" />
        <span class="quiet"> {{ launcher.reason }}</span>
      </p>
      <p class="quiet mb-4">
        <template v-if="launcher.store !== launcher.id"
          >Its titles carry {{ launcher.store }}'s references.
        </template>
        <template v-for="(s, i) in launcher.starts" :key="s"
          ><template v-if="i === 0">It starts titles of </template
          ><router-link :to="`/launchers/${encodeURIComponent(s)}`">{{ s }}</router-link
          >{{ i + 1 < launcher.starts.length ? ', ' : ' too, by handing over. ' }}</template
        >
        <template v-for="(s, i) in launcher.started_by" :key="s"
          ><template v-if="i === 0">Its titles are started by </template
          ><router-link :to="`/launchers/${encodeURIComponent(s)}`">{{ s }}</router-link
          >{{ i + 1 < launcher.started_by.length ? ', ' : ' too. ' }}</template
        >
        <template v-for="a in launcher.addresses" :key="a"
          >A store page's address: <span class="mono">{{ a }}</span>.
        </template>
      </p>
      <SheetSystems :systems="launcher.sheets" />
      <SheetText :text="launcher.text" :file="`${launcher.id}.yaml`" />
      <h2 class="mt-5 mb-2">Evidence</h2>
      <v-card class="pa-4"><EvidenceList :evidence="launcher.evidence" did="tried it" /></v-card>
    </template>
  </DetailPage>
</template>
