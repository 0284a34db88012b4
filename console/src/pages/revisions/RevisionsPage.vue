<script setup lang="ts">
import MoreButton from '../../components/MoreButton.vue'
import QueryState from '../../components/QueryState.vue'
import { useRevisions } from '../../queries'
import { count, moment } from '../../words'

const list = useRevisions()
const { items } = list

/** Why a revision was made that changed no title. */
const because: Record<string, string> = {
  begun: 'the first, with nothing recorded yet',
  'signed-again': 'signed again, before its signatures expired',
  standing: 'a standing changed as time passed',
}
</script>

<template>
  <div class="page">
    <h1>Revisions</h1>
    <p class="quiet mt-1 mb-4">
      The manifest as it was published, within seconds of what was accepted. A revision never changes; the
      newest is what
      <span class="mono">endroit fetch</span> gets, and is signed.
    </p>
    <QueryState :query="list">
      <v-card>
        <v-table>
          <thead>
            <tr>
              <th class="text-right number">Revision</th>
              <th>Published</th>
              <th>What changed</th>
              <th class="text-right">Titles</th>
              <th>SHA-256</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="r in items" :key="r.number">
              <td class="text-right">{{ r.number }}</td>
              <td class="when">{{ moment(r.published) }}</td>
              <td>
                <template v-for="(c, i) in r.changes" :key="(c.title_id ?? '') + (c.sheet_id ?? '')"
                  ><template v-if="i > 0">, </template
                  ><router-link v-if="c.title_id" :to="`/titles/${encodeURIComponent(c.title_id)}`">{{
                    c.name
                  }}</router-link
                  ><template v-else-if="c.sheet_id"
                    >the sheet of
                    <router-link :to="`/launchers/${encodeURIComponent(c.sheet_id)}`">{{
                      c.name
                    }}</router-link>
                  </template></template
                ><template v-if="r.changed > r.changes.length"
                  >, and {{ count(r.changed - r.changes.length, 'other', 'others') }}</template
                >
                <span v-if="because[r.because]" class="quiet">{{ because[r.because] }}</span>
              </td>
              <td class="text-right">{{ r.titles }}</td>
              <td v-hint="r.digest" class="mono">{{ r.digest.slice(0, 12) }}…</td>
            </tr>
          </tbody>
        </v-table>
      </v-card>
      <MoreButton :list="list" />
    </QueryState>
  </div>
</template>

<style scoped>
.number {
  width: 6rem;
}

.when {
  white-space: nowrap;
}
</style>
