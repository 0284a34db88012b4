<script setup lang="ts">
import { computed, ref } from 'vue'

import type { Schemas } from '../../api/client'
import { useBytes } from '../../queries'
import { bytes, count, hex, oneLine, size } from '../../words'
import HexRows from './HexRows.vue'
import FoldedPart from '../../components/FoldedPart.vue'
import QueryState from '../../components/QueryState.vue'

/** A version of the file as bytes and text, with the facts found in it. */
const props = defineProps<{ file: number; versions: Schemas['BenchVersion'][] }>()

const version = ref(props.versions[props.versions.length - 1]?.id ?? '')
const at = ref(0)
const page = 512
const facts = ref(true)
const query = useBytes(
  computed(() => props.file),
  version,
  at,
  facts,
)
const got = computed(() => query.data.value)
const data = computed(() => (got.value ? bytes(got.value.bytes).subarray(0, page) : new Uint8Array()))
const items = computed(() =>
  props.versions.map((v) => ({ value: v.id, title: `${v.says}, ${size(v.size)}` })),
)
const found = computed(() => {
  const f = got.value?.facts
  if (!f) return []
  return [
    { title: 'found inside', list: f.inside },
    { title: 'numbers that may mean something', list: f.numbers },
    { title: 'strings', list: f.strings },
  ].filter((x) => x.list.length > 0)
})
const shownFacts = 6
</script>

<template>
  <div>
    <p v-if="versions.length === 0" class="quiet">
      No content of it was kept, and it is not there any more. A run keeps the contents of small files that it
      changes.
    </p>
    <template v-else>
      <v-select
        v-model="version"
        :items="items"
        label="Version"
        density="compact"
        variant="outlined"
        hide-details
        class="mb-2"
        @update:model-value="at = 0"
      />
      <QueryState :query="query">
        <p v-if="got?.cannot" role="alert">{{ oneLine(got.cannot) }}</p>
        <template v-else-if="got">
          <p v-if="got.facts">
            looks like <strong>{{ got.facts.looks }}</strong>, {{ got.facts.encoding }}
          </p>
          <HexRows :data="data" :at="at" label="Bytes" />
          <div v-if="got.size > page" class="pager">
            <v-btn size="small" variant="text" :disabled="at === 0" @click="at = Math.max(0, at - page)"
              >Before</v-btn
            >
            <span class="quiet"
              >{{ hex(at) }} to {{ hex(Math.min(at + page, got.size)) }} of
              {{ count(got.size, 'byte', 'bytes') }}</span
            >
            <v-btn size="small" variant="text" :disabled="at + page >= got.size" @click="at += page"
              >After</v-btn
            >
            <v-btn
              size="small"
              variant="text"
              :disabled="at + page >= got.size"
              @click="at = Math.max(0, got.size - (got.size % page || page))"
              >End</v-btn
            >
          </div>
          <FoldedPart
            v-for="f in found"
            :key="f.title"
            :title="`${f.title} (${f.list.length})`"
            :starts-open="f.title !== 'strings'"
            class="facts"
          >
            <ul>
              <li
                v-for="(x, i) in f.list.slice(0, f.title === 'strings' ? 200 : shownFacts)"
                :key="i"
                class="wrap"
              >
                <button
                  v-hint="`Show the bytes at ${hex(x.at)}`"
                  type="button"
                  class="mono link"
                  @click="at = x.at - (x.at % 16)"
                >
                  {{ hex(x.at) }}
                </button>
                {{ x.what
                }}<template v-if="x.value"
                  >: <span class="mono">{{ oneLine(x.value) }}</span></template
                >
              </li>
            </ul>
          </FoldedPart>
        </template>
      </QueryState>
    </template>
  </div>
</template>

<style scoped>
.pager {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: var(--space-1);
}

.facts {
  margin-top: var(--space-2);
  font-size: var(--text-mono);
}

.facts :deep(.v-expansion-panel-title) {
  font-weight: 700;
}

ul {
  list-style: none;
  padding: 0;
}
</style>
