<script setup lang="ts">
import { mdiChevronDown, mdiChevronRight } from '@mdi/js'
import { computed, ref } from 'vue'

import { type Folder, grown, interest, type Leaf, page, type Row, rows, unfoldedKeys } from './tree'
import { count, kinds, oneLine } from '../../words'

/** The folders with what is in them; what is of no interest is folded away. */
const props = defineProps<{ files: Leaf[]; chosen?: number }>()
const emit = defineEmits<{ choose: [file: number] }>()

const text = ref('')
const noise = ref(false)
const open = ref(new Map<string, boolean>())
const more = ref(new Map<string, number>())

const found = computed(() => {
  const want = (text.value ?? '').trim().toLowerCase()
  return want === '' ? props.files : props.files.filter((f) => f.path.toLowerCase().includes(want))
})
const root = computed(() => grown(found.value))
// Who looks for a name wants it whatever it is.
const looking = computed(() => (text.value ?? '').trim() !== '')
const list = computed(() =>
  rows(root.value, {
    open: open.value,
    more: more.value,
    noise: noise.value || looking.value,
    all: looking.value,
  }),
)
const unfolded = computed(() => unfoldedKeys(list.value))
const chosenKeys = computed(() => (props.chosen === undefined ? [] : [`${props.chosen}`]))
const hidden = computed(() => root.value.total - root.value.wanted)

/** Keeps which folders were folded and unfolded by hand. */
function turn(now: unknown) {
  const is = new Set(now as string[])
  const was = new Set(unfolded.value)
  const next = new Map(open.value)
  for (const key of was) if (!is.has(key)) next.set(key, false)
  for (const key of is) if (!was.has(key)) next.set(key, true)
  open.value = next
}

function press(row: Row) {
  if (row.leaf) emit('choose', row.leaf.number)
  else if (row.more) {
    const { folder } = row.more
    more.value = new Map(more.value).set(folder, (more.value.get(folder) ?? page) + page)
  }
}

/** Takes the row that was pressed. Pressing the chosen file again leaves it chosen. */
function activate(keys: string[]) {
  const row = keys.length > 0 ? find(list.value, keys[0]!) : undefined
  if (row) press(row)
}

function find(among: Row[], key: string): Row | undefined {
  for (const row of among) {
    if (row.key === key) return row
    const inner = row.children && find(row.children, key)
    if (inner) return inner
  }
}

const faint = (row: Row) => (row.leaf && !interest.includes(row.leaf.kind) ? 'faint' : undefined)

/** Says what of interest is in a folder, by kind. */
const ofInterest = (f: Folder) =>
  interest
    .filter((k) => f.kinds[k])
    .map((k) => (k === 'capture' ? count(f.kinds[k]!, 'picture', 'pictures') : `${f.kinds[k]} ${kinds[k]}`))

/** The same, with the other files as a number. */
function holds(f: Folder): string {
  const parts = ofInterest(f)
  const rest = f.total - f.wanted
  if (rest > 0) parts.push(parts.length ? `${rest} other` : count(rest, 'file', 'files'))
  return parts.join(', ')
}
</script>

<template>
  <v-card class="pa-3">
    <h2 class="mb-2">Folders</h2>
    <v-text-field v-model="text" label="A part of the path" density="compact" hide-details clearable />
    <v-treeview
      :items="list"
      item-value="key"
      :item-props="(row: unknown) => ({ class: faint(row as Row) })"
      :opened="unfolded"
      :activated="chosenKeys"
      activatable
      active-strategy="single-leaf"
      open-on-click
      hide-no-data
      density="compact"
      :indent="12"
      :prepend-gap="0"
      :expand-icon="mdiChevronRight"
      :collapse-icon="mdiChevronDown"
      class="rows-box"
      aria-label="Folders and files"
      @update:opened="turn"
      @update:activated="(keys: unknown) => activate(keys as string[])"
    >
      <template #title="{ item }">
        <span v-hint:end.row="item.more ? undefined : oneLine(item.leaf?.path ?? item.key)" class="line">
          <span class="name" :class="item.more ? 'quiet' : 'mono'">{{ oneLine(item.title) }}</span>
          <span v-if="item.folder" v-hint:end="holds(item.folder)" class="quiet holds">{{
            ofInterest(item.folder).join(', ') || holds(item.folder)
          }}</span>
          <span v-else-if="item.leaf" class="holds">{{ kinds[item.leaf.kind] }}</span>
        </span>
      </template>
    </v-treeview>
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
  padding: 0;
  overflow-y: auto;
}

.rows-box :deep(.v-list-item) {
  min-height: 26px;
  padding-block: 0;
  padding-inline-end: var(--space-1);
}

.rows-box :deep(.v-list-item-action) {
  margin-inline: 0 2px;
}

.rows-box :deep(.v-list-item-action > *) {
  width: 16px;
  height: 16px;
}

/* Colour below the text, not an overlay above it: the text keeps its contrast. */
.rows-box :deep(.v-list-item__overlay) {
  display: none;
}

.rows-box :deep(.v-list-item:hover) {
  background: rgba(var(--v-theme-on-surface), 0.05);
}

.rows-box :deep(.v-list-item--active) {
  background: rgba(var(--v-theme-primary), 0.1);
  box-shadow: inset 3px 0 rgb(var(--v-theme-primary));
}

.line {
  display: flex;
  align-items: baseline;
  gap: var(--space-2);
  white-space: nowrap;
}

.name {
  flex: 0 1 auto;
  min-width: 7em;
  font-size: var(--text-note);
  overflow: hidden;
  text-overflow: ellipsis;
}

.holds {
  flex: 0 3 auto;
  max-width: 60%;
  margin-left: auto;
  overflow: hidden;
  font-size: var(--text-small);
  text-overflow: ellipsis;
}

.rows-box :deep(.faint) {
  opacity: 0.85;
}
</style>
