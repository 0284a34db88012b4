<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../../api/client'
import { count, systems } from '../../words'
import SheetSystems from '../launchers/SheetSystems.vue'
import SheetText from '../launchers/SheetText.vue'

/** A launcher's sheet under review: what changes, what it found, what it tells. */
const props = defineProps<{ sheet: Schemas['SheetShown']; waiting: boolean }>()

const found = computed(() => {
  const f = props.sheet.found
  return [
    count(f.installations, 'installation', 'installations'),
    count(f.libraries, 'library', 'libraries'),
    count(f.titles, 'installed title', 'installed titles'),
    count(f.prefixes, 'prefix', 'prefixes'),
    count(f.accounts, 'account', 'accounts') + (f.in_use ? ', one in use' : ''),
    ...(f.starts ? [count(f.starts, 'title', 'titles') + ' of other launchers'] : []),
    ...(f.missing ? [`${f.missing} of these not there`] : []),
    ...(f.odd ? [count(f.odd, 'odd entry', 'odd entries')] : []),
  ]
})
</script>

<template>
  <section v-if="waiting" aria-labelledby="changes">
    <h2 id="changes" class="mt-5 mb-2">What accepting would change in the manifest</h2>
    <v-alert v-for="c in sheet.clashes" :key="c.field + c.sheet" type="error" variant="tonal" class="mb-2">
      It cannot be accepted: <span class="mono">{{ c.field }}</span>: {{ c.reason }}
    </v-alert>
    <v-card class="pa-4">
      <p v-if="sheet.new">
        A new launcher: <strong>{{ sheet.id }}</strong>
      </p>
      <p v-else-if="!sheet.differences.length">
        Nothing in the sheet. It is one more person's evidence for it.
      </p>
      <template v-else>
        <ul class="changes">
          <li v-for="d in sheet.differences" :key="d.field">
            <span class="mono">{{ d.field }}</span>:
            <template v-if="!d.before">added </template>
            <del v-if="d.before" class="mono">{{ d.before }}</del>
            {{ d.before && d.after ? 'becomes' : d.after ? '' : 'is removed' }}
            <ins v-if="d.after" class="mono">{{ d.after }}</ins>
          </li>
        </ul>
        <p class="quiet mt-2">Evidence for the sheet as it is now does not count for this state of it.</p>
      </template>
    </v-card>
  </section>

  <section aria-labelledby="found">
    <h2 id="found" class="mt-5 mb-2">Found on the contributor's machine</h2>
    <v-card class="pa-4">
      <p>
        On {{ systems[sheet.found.os] ?? sheet.found.os }}: {{ found.join('; ') }}.
        {{ sheet.found.cloud ? 'It can tell whether cloud copies are kept.' : '' }}
      </p>
      <p v-if="sheet.note" class="mt-2 note">{{ sheet.note }}</p>
    </v-card>
  </section>

  <section aria-labelledby="tells">
    <h2 id="tells" class="mt-5 mb-2">What the sheet tells</h2>
    <SheetSystems :systems="sheet.systems" />
    <SheetText :text="sheet.text" :file="`${sheet.id}.yaml`" />
  </section>
</template>

<style scoped>
.changes {
  padding-left: 1.2em;
  overflow-wrap: anywhere;
}

.note {
  white-space: pre-line;
}

ins {
  text-decoration: none;
  font-weight: 700;
}
</style>
