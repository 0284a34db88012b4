<script setup lang="ts">
import { mdiChevronDown, mdiChevronRight } from '@mdi/js'
import { computed, ref } from 'vue'

import { grown, interest, type Leaf, type Row, rows } from './tree'
import { count, kinds, shown } from '../../words'

/** The folders with what is in them; what is of no interest is folded away. */
const props = defineProps<{ files: Leaf[]; chosen?: number }>()
defineEmits<{ choose: [file: number] }>()

const text = ref('')
const noise = ref(false)
const open = ref(new Map<string, boolean>())

const found = computed(() => {
  const want = (text.value ?? '').trim().toLowerCase()
  return want === '' ? props.files : props.files.filter((f) => f.path.toLowerCase().includes(want))
})
const root = computed(() => grown(found.value))
// Who looks for a name wants it whatever it is.
const looking = computed(() => (text.value ?? '').trim() !== '')
const list = computed(() => rows(root.value, open.value, noise.value || looking.value, looking.value))
const hidden = computed(() => root.value.total - root.value.wanted)

function turn(row: Row) {
  open.value = new Map(open.value).set(row.key, !row.unfolded)
}

/** Moves between rows by the arrows; right and left unfold and fold (ARIA tree). */
function move(e: KeyboardEvent) {
  const rows = [...(e.currentTarget as HTMLElement).querySelectorAll<HTMLElement>('[role=treeitem]')]
  const at = rows.indexOf(document.activeElement as HTMLElement)
  if (at < 0) return
  const open = rows[at]!.getAttribute('aria-expanded')
  if (e.key === 'ArrowDown') rows[at + 1]?.focus()
  else if (e.key === 'ArrowUp') rows[at - 1]?.focus()
  else if ((e.key === 'ArrowRight' && open === 'false') || (e.key === 'ArrowLeft' && open === 'true'))
    rows[at]!.click()
  else return
  e.preventDefault()
}

/** Says what is in a folder: what is of interest by kind, the rest as a number. */
function holds(row: Row): string {
  const f = row.folder!
  const parts = interest
    .filter((k) => f.kinds[k])
    .map((k) => (k === 'capture' ? count(f.kinds[k]!, 'picture', 'pictures') : `${f.kinds[k]} ${kinds[k]}`))
  const rest = f.total - f.wanted
  if (rest > 0) parts.push(parts.length ? `${rest} other` : count(rest, 'file', 'files'))
  return parts.join(', ')
}
</script>

<template>
  <v-card class="pa-3">
    <h2 class="mb-2">Folders</h2>
    <v-text-field v-model="text" label="A part of the path" density="compact" hide-details clearable />
    <v-virtual-scroll
      :items="list"
      :item-height="26"
      class="rows-box"
      role="tree"
      aria-label="Folders and files"
      @keydown="move"
    >
      <template #default="{ item }">
        <button
          v-if="item.folder"
          type="button"
          role="treeitem"
          :aria-level="item.depth + 1"
          class="line bare"
          :style="{ paddingLeft: `${4 + item.depth * 14}px` }"
          :aria-expanded="item.unfolded"
          @click="turn(item)"
        >
          <v-icon class="turn" size="14" :icon="item.unfolded ? mdiChevronDown : mdiChevronRight" />
          <span class="mono name" :title="shown(item.key)">{{ shown(item.name) }}</span>
          <span class="quiet holds" :title="holds(item)">{{ holds(item) }}</span>
        </button>
        <button
          v-else-if="item.leaf"
          type="button"
          role="treeitem"
          :aria-level="item.depth + 1"
          class="line bare"
          :class="{ chosen: item.leaf.number === chosen, faint: !interest.includes(item.leaf.kind) }"
          :style="{ paddingLeft: `${18 + item.depth * 14}px` }"
          :aria-selected="item.leaf.number === chosen"
          :title="shown(item.leaf.path)"
          @click="$emit('choose', item.leaf.number)"
        >
          <span class="mono name">{{ shown(item.name) }}</span>
          <span class="holds">{{ kinds[item.leaf.kind] }}</span>
        </button>
      </template>
    </v-virtual-scroll>
    <p v-if="list.length === 0" class="quiet">
      {{ text ? 'No path holds that.' : 'No progress, settings or pictures were observed.' }}
    </p>
    <v-btn v-if="hidden > 0" variant="text" size="small" class="noise mt-1" @click="noise = !noise">{{
      noise ? 'Hide other files' : `Show other files: ${count(hidden, 'file', 'files')}`
    }}</v-btn>
  </v-card>
</template>

<style scoped>
h2 {
  font-size: var(--text-body);
}

.rows-box {
  max-height: 380px;
  margin-top: var(--space-2);
}

.line {
  display: flex;
  align-items: baseline;
  gap: var(--space-2);
  width: 100%;
  height: 26px;
  padding: 0 var(--space-1);
  text-align: left;
  white-space: nowrap;
  overflow: hidden;
}

.line:hover {
  background: rgba(var(--v-theme-on-surface), 0.05);
}

.line.chosen {
  background: rgba(var(--v-theme-primary), 0.1);
  box-shadow: inset 3px 0 rgb(var(--v-theme-primary));
}

.line:focus-visible {
  outline-offset: -2px;
}

.turn {
  align-self: center;
}

.name {
  flex: 1 0 auto;
  font-size: var(--text-note);
  max-width: 76%;
  overflow: hidden;
  text-overflow: ellipsis;
}

.holds {
  flex: 0 1 auto;
  margin-left: auto;
  overflow: hidden;
  font-size: var(--text-small);
  text-overflow: ellipsis;
}

.faint {
  opacity: 0.85;
}
</style>
