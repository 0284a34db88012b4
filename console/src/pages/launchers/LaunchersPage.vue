<script setup lang="ts">
import MoreButton from '../../components/MoreButton.vue'
import QueryState from '../../components/QueryState.vue'
import StandingMark from '../../components/StandingMark.vue'
import { useLaunchers } from '../../queries'
import { systems } from '../../words'

const list = useLaunchers()
const { items } = list

/** A launcher's name, if its sheet is in the list. */
function nameOf(id: string): string {
  return items.value.find((l) => l.id === id)?.name ?? id
}
</script>

<template>
  <div class="page">
    <h1>Launchers</h1>
    <p class="quiet mt-1 mb-4">
      A sheet describes where a launcher keeps its libraries, installed titles, prefixes and accounts.
      <span class="mono">endroit machine</span> shows what these sheets find on your own machine.
    </p>
    <QueryState :query="list" :empty="items.length === 0">
      <template #empty>
        <v-card class="pa-6">
          <p>No launcher's sheet was accepted yet.</p>
          <p class="mt-2">
            Write one, try it with <span class="mono">endroit sheet check FILE</span>, and send it with
            <span class="mono">endroit sheet submit FILE</span>.
          </p>
        </v-card>
      </template>
      <v-card>
        <v-table>
          <thead>
            <tr>
              <th>Launcher</th>
              <th>Usually in</th>
              <th>Systems</th>
              <th>Starts titles of</th>
              <th>Sheet</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="l in items" :key="l.id">
              <td>
                <router-link :to="`/launchers/${encodeURIComponent(l.id)}`">{{ l.name }}</router-link>
              </td>
              <td>
                <span v-if="l.usual" class="mono">{{ l.usual }}</span><span v-else class="quiet"
                  >no launcher: plain installers</span
                >
              </td>
              <td>{{ l.systems.map((s) => systems[s] ?? s).join(', ') }}</td>
              <td>
                <template v-for="(s, i) in l.starts" :key="s"
                  >{{ i > 0 ? ', ' : ''
                  }}<router-link :to="`/launchers/${encodeURIComponent(s)}`">{{
                    nameOf(s)
                  }}</router-link></template
                >
              </td>
              <td><StandingMark :standing="l.standing" :reason="l.reason" /></td>
            </tr>
          </tbody>
        </v-table>
      </v-card>
      <p class="quiet mt-4">
        A launcher is missing? Describe it in a sheet, try that with
        <span class="mono">endroit sheet check FILE</span>, and send it with
        <span class="mono">endroit sheet submit FILE</span>.
      </p>
      <MoreButton :list="list" />
    </QueryState>
  </div>
</template>
