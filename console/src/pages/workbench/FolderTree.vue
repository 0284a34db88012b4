<script setup lang="ts">
import { mdiChevronDown, mdiChevronRight } from '@mdi/js'
import { computed, nextTick, ref, useTemplateRef } from 'vue'

import { type Folder, grown, interest, type Leaf, type Row, rows } from './tree'
import { count, kinds, oneLine } from '../../words'

/** The folders with what is in them; what is of no interest is folded away. */
const props = defineProps<{ files: Leaf[]; chosen?: number }>()
const emit = defineEmits<{ choose: [file: number] }>()

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

const rowsBox = useTemplateRef<{ scrollToIndex(n: number): void }>('rowsBox')
const focused = ref<string>()
/** The one row that the Tab key reaches: the one last focused, else the chosen file, else the first. */
const reached = computed(() => {
  const all = list.value
  const row =
    all.find((r) => r.key === focused.value) ?? all.find((r) => r.leaf?.number === props.chosen) ?? all[0]
  return row?.key
})

function turn(row: Row) {
  open.value = new Map(open.value).set(row.key, !row.unfolded)
}

function press(row: Row) {
  if (row.leaf) emit('choose', row.leaf.number)
  else turn(row)
}

/** Moves between rows; right and left unfold and fold (the ARIA practices' tree view). */
async function move(e: KeyboardEvent) {
  const at = list.value.findIndex((r) => r.key === reached.value)
  const row = list.value[at]
  if (!row) return
  let to: number | undefined
  if (e.key === 'ArrowDown') to = at + 1
  else if (e.key === 'ArrowUp') to = at - 1
  else if (e.key === 'Home') to = 0
  else if (e.key === 'End') to = list.value.length - 1
  else if (e.key === 'ArrowRight' && row.folder && !row.unfolded) turn(row)
  else if (e.key === 'ArrowRight' && row.folder) to = at + 1
  else if (e.key === 'ArrowLeft' && row.folder && row.unfolded) turn(row)
  else if (e.key === 'ArrowLeft') to = list.value.findLastIndex((r, i) => i < at && r.depth < row.depth)
  else return
  e.preventDefault()
  const next = to === undefined ? undefined : list.value[to]
  if (!next) return
  focused.value = next.key // at once: the next key may come before the row is drawn
  const box = e.currentTarget as HTMLElement
  const element = () => box.querySelector<HTMLElement>(`[data-row="${CSS.escape(next.key)}"]`)
  await nextTick()
  if (!element()) rowsBox.value?.scrollToIndex(to!)
  for (let frames = 0; !element() && frames < 20; frames++) await new Promise(requestAnimationFrame)
  if (focused.value === next.key) element()?.focus()
}

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
    <v-virtual-scroll
      ref="rowsBox"
      :items="list"
      :item-height="26"
      class="rows-box"
      role="tree"
      aria-label="Folders and files"
      @keydown="move"
    >
      <template #default="{ item }">
        <button
          v-hint:end="oneLine(item.leaf?.path ?? item.key)"
          type="button"
          role="treeitem"
          :aria-level="item.depth + 1"
          :aria-expanded="item.unfolded"
          :aria-selected="item.leaf && item.leaf.number === chosen"
          :tabindex="item.key === reached ? 0 : -1"
          :data-row="item.key"
          class="line bare"
          :class="{
            chosen: item.leaf && item.leaf.number === chosen,
            faint: item.leaf && !interest.includes(item.leaf.kind),
          }"
          :style="{ paddingLeft: `${(item.folder ? 4 : 18) + item.depth * 14}px` }"
          @focus="focused = item.key"
          @click="press(item)"
        >
          <v-icon
            v-if="item.folder"
            class="turn"
            size="14"
            :icon="item.unfolded ? mdiChevronDown : mdiChevronRight"
          />
          <span class="mono name">{{ oneLine(item.name) }}</span>
          <span v-if="item.folder" v-hint:end="holds(item.folder)" class="quiet holds">{{
            ofInterest(item.folder).join(', ') || holds(item.folder)
          }}</span>
          <span v-else-if="item.leaf" class="holds">{{ kinds[item.leaf.kind] }}</span>
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
  flex: 0 1 auto;
  min-width: 7em;
  font-size: var(--text-note);
  overflow: hidden;
  text-overflow: ellipsis;
}

.holds {
  flex: 0 0 auto;
  max-width: 60%;
  margin-left: auto;
  overflow: hidden;
  font-size: var(--text-small);
  text-overflow: ellipsis;
}

.faint {
  opacity: 0.85;
}
</style>
