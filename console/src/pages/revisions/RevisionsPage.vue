<script setup lang="ts">
import MoreButton from '../../components/MoreButton.vue'
import QueryState from '../../components/QueryState.vue'
import { useRevisions } from '../../queries'
import { moment } from '../../words'

const list = useRevisions()
const { items } = list
</script>

<template>
  <div class="page">
    <h1>Revisions</h1>
    <p class="quiet mt-1 mb-4">
      The manifest as it was published, each time a contribution was accepted. A revision never changes; the
      newest is what
      <span class="mono">endroit fetch</span> gets.
    </p>
    <QueryState :query="list">
      <v-card>
        <v-table>
          <thead>
            <tr>
              <th class="text-right number">Revision</th>
              <th>Published</th>
              <th>What changed</th>
              <th>SHA-256</th>
              <th><span class="sr">The file</span></th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="r in items" :key="r.number">
              <td class="text-right">{{ r.number }}</td>
              <td class="when">{{ moment(r.published) }}</td>
              <td>
                <template v-if="r.title_id">
                  <router-link :to="`/titles/${encodeURIComponent(r.title_id)}`">{{ r.title }}</router-link>,
                  by
                  <router-link :to="`/reviews/${r.contribution}`"
                    >contribution {{ r.contribution }}</router-link
                  >
                </template>
                <template v-else-if="r.sheet_id">
                  the sheet of
                  <router-link :to="`/launchers/${encodeURIComponent(r.sheet_id)}`">{{
                    r.sheet
                  }}</router-link>, by
                  <router-link :to="`/reviews/${r.contribution}`"
                    >contribution {{ r.contribution }}</router-link
                  >
                </template>
                <template v-else>the empty beginning</template>
              </td>
              <td v-hint="r.digest" class="mono">{{ r.digest.slice(0, 12) }}…</td>
              <td><a :href="`/api/v1/manifest/revisions/${r.number}`">JSON</a></td>
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

.sr {
  position: absolute;
  clip-path: inset(50%);
}
</style>
