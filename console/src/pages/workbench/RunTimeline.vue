<script setup lang="ts">
import { mdiChevronLeft, mdiChevronRight, mdiMinus, mdiPlus } from '@mdi/js'
import { computed, nextTick, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { useTheme } from 'vuetify'

import type { Schemas } from '../../api/client'
import FoldedPart from '../../components/FoldedPart.vue'
import {
  dragged,
  names,
  panned,
  placed,
  position,
  rowsOfCues,
  type Span,
  ticks,
  tickText,
  zoomed,
} from './timeline'
import { drawLanes, laneHeight } from './lanes'
import { clock, inRun, kinds, oneLine, type Run, runClock, times } from '../../words'

/** When the files of interest were used: a lane for each, with the marked moments across. */
export interface Lane {
  number: number
  path: string
  kind: string
  lane?: Schemas['Lane']
}

const props = defineProps<{
  lanes: Lane[]
  length: number
  cues: { at: number; cue: string }[]
  runs?: Run[]
  chosen?: number
}>()
defineEmits<{ choose: [file: number] }>()
const span = defineModel<Span>('span', { required: true })

const whole = computed<Span>(() => ({ from: 0, to: Math.max(props.length, 1) }))
const all = computed(() => span.value.from <= 0 && span.value.to >= whole.value.to)
const theme = useTheme()
const canvas = ref<HTMLCanvasElement>()
const lanesBox = ref<HTMLElement>()
const width = ref(600)
const top = ref(0)
const drag = ref<{ from: number; to: number }>()

// Only the lanes in sight are drawn, however many there are.
const sight = 9
const first = computed(() =>
  Math.min(Math.floor(top.value / laneHeight), Math.max(0, props.lanes.length - 1)),
)
const inSight = computed(() => props.lanes.slice(first.value, first.value + sight + 1))
const boxHeight = computed(() => Math.max(1, Math.min(props.lanes.length, sight)) * laneHeight)

// Several runs stand one behind the other, each with its own clock.
const several = computed(() => (props.runs?.length ?? 0) > 1)
// The ticks of several runs are those of each, on its own clock.
const moments = computed(() => {
  const all = ticks(span.value, width.value)
  if (!several.value) return all
  const apart = all.length > 1 ? all[1]! - all[0]! : whole.value.to
  return props.runs!.flatMap((r) => {
    const own: number[] = []
    // The next run's name needs the room at the end.
    const room = (30 / width.value) * (span.value.to - span.value.from)
    for (let t = apart; t < r.length - room && own.length < 100; t += apart)
      if (r.at + t >= span.value.from && r.at + t <= span.value.to) own.push(r.at + t)
    return own
  })
})
const step = computed(() => {
  const all = ticks(span.value, width.value)
  return all.length > 1 ? all[1]! - all[0]! : whole.value.to
})
const cuesInSight = computed(() =>
  placed(
    props.cues
      .filter((c) => c.at >= span.value.from && c.at <= span.value.to)
      .map((c) => ({ ...c, x: position(c.at, span.value, width.value) })),
    width.value,
  ),
)
const runsInSight = computed(() =>
  several.value
    ? props
        .runs!.map((r, i) => ({
          ...r,
          name: `run ${i + 1}`,
          x: Math.max(0, position(r.at, span.value, width.value)),
        }))
        .filter((r) => r.at <= span.value.to && r.at + r.length >= span.value.from)
    : [],
)
const cueRows = computed(() => Math.max(1, ...cuesInSight.value.map((c) => c.row + 1)))

function draw() {
  if (!canvas.value) return
  drawLanes(canvas.value, {
    lanes: inSight.value,
    offset: first.value * laneHeight - top.value,
    height: boxHeight.value,
    width: width.value,
    span: span.value,
    cues: cuesInSight.value.map((c) => c.x),
    moments: moments.value.map((t) => position(t, span.value, width.value)),
    runs: runsInSight.value.filter((r) => r.x > 0).map((r) => r.x),
    chosen: props.chosen,
    drag: drag.value,
    colors: theme.current.value.colors,
  })
}

let sized: ResizeObserver | undefined
onMounted(() => {
  sized = new ResizeObserver(([box]) => (width.value = Math.max(100, Math.floor(box!.contentRect.width))))
  sized.observe(canvas.value!.parentElement!)
})
onBeforeUnmount(() => sized?.disconnect())
watch(
  [inSight, span, width, top, drag, cuesInSight, runsInSight, () => props.chosen, () => theme.name.value],
  () => nextTick(draw),
  {
    immediate: true,
    deep: true,
  },
)

const local = (e: PointerEvent | WheelEvent) => e.clientX - canvas.value!.getBoundingClientRect().left
const time = (x: number) => span.value.from + (x / width.value) * (span.value.to - span.value.from)

function press(e: PointerEvent) {
  if (e.button !== 0) return
  canvas.value!.setPointerCapture(e.pointerId)
  drag.value = { from: local(e), to: local(e) }
}

function move(e: PointerEvent) {
  if (drag.value) drag.value = { ...drag.value, to: local(e) }
}

function release() {
  const d = drag.value
  drag.value = undefined
  if (d && Math.abs(d.to - d.from) > 4)
    span.value = dragged(span.value, whole.value, d.from, d.to, width.value)
}

function wheel(e: WheelEvent) {
  if (e.ctrlKey) {
    e.preventDefault()
    span.value = zoomed(span.value, whole.value, e.deltaY > 0 ? 1.25 : 0.8, time(local(e)))
  } else if (e.shiftKey || Math.abs(e.deltaX) > Math.abs(e.deltaY)) {
    e.preventDefault()
    span.value = panned(span.value, whole.value, (e.deltaX || e.deltaY) / width.value)
  }
}

const middle = () => (span.value.from + span.value.to) / 2
const zoom = (factor: number) => (span.value = zoomed(span.value, whole.value, factor, middle()))
const pan = (by: number) => (span.value = panned(span.value, whole.value, by))
const showAll = () => (span.value = { ...whole.value })

function key(e: KeyboardEvent) {
  const does: Record<string, () => unknown> = {
    '+': () => zoom(0.5),
    '=': () => zoom(0.5),
    '-': () => zoom(2),
    ArrowLeft: () => pan(-0.2),
    ArrowRight: () => pan(0.2),
    Home: showAll,
  }
  if (does[e.key]) {
    e.preventDefault()
    does[e.key]!()
  }
}

// Files of one name are told apart by their folders.
const titles = computed(() => names(props.lanes.map((l) => l.path)))
const lastWrite = (l: Lane) => Math.max(-1, ...(l.lane?.writes ?? []).map((w) => w[1]!))
const lastRead = (l: Lane) => Math.max(-1, ...(l.lane?.reads ?? []).map((w) => w[1]!))
const total = (strokes?: number[][]) => (strokes ?? []).reduce((n, s) => n + s[2]!, 0)
</script>

<template>
  <v-card class="pa-3">
    <div class="tools">
      <h2>When they were used</h2>
      <span class="legend" aria-hidden="true"
        ><i class="read" /> read <i class="written" /> written <i class="cue" /> cue</span
      >
      <v-spacer />
      <span class="quiet" role="status">{{
        all
          ? several
            ? `${runs!.length} runs, ${clock(length)} together`
            : `the whole run, ${clock(length)}`
          : `${runClock(span.from, runs)} to ${runClock(span.to, runs)}`
      }}</span>
      <v-btn
        size="small"
        variant="text"
        :icon="mdiChevronLeft"
        aria-label="Earlier"
        :disabled="all"
        @click="pan(-0.5)"
      />
      <v-btn
        size="small"
        variant="text"
        :icon="mdiChevronRight"
        aria-label="Later"
        :disabled="all"
        @click="pan(0.5)"
      />
      <v-btn size="small" variant="text" :icon="mdiPlus" aria-label="Closer" @click="zoom(0.5)" />
      <v-btn
        size="small"
        variant="text"
        :icon="mdiMinus"
        aria-label="Farther"
        :disabled="all"
        @click="zoom(2)"
      />
      <v-btn size="small" variant="outlined" :disabled="all" @click="showAll">Whole run</v-btn>
    </div>
    <div class="grid">
      <div class="axis-name quiet">drag to zoom</div>
      <div class="axis">
        <span
          v-for="t in moments"
          :key="t"
          class="tick"
          :class="{ late: position(t, span, width) > width - 40 }"
          :style="{ left: `${position(t, span, width)}px` }"
          >{{ tickText(inRun(t, runs).own, step) }}</span
        >
        <span
          v-for="r in runsInSight"
          :key="r.name"
          v-hint="`${r.name}, ${clock(r.length)}`"
          class="run"
          :style="{ left: `${r.x}px` }"
          >{{ r.name }}</span
        >
      </div>
      <div class="cue-name" />
      <div class="axis cues" :style="{ height: `${Math.min(cueRows, rowsOfCues) * 15 + 2}px` }">
        <span
          v-for="(c, i) in cuesInSight"
          :key="i"
          v-hint:end="`${oneLine(c.cue)} at ${runClock(c.at, runs)}`"
          class="cue-text"
          :class="{ late: c.late }"
          :style="{ left: `${c.x}px`, top: `${c.row * 15}px` }"
          >{{ c.row < rowsOfCues ? oneLine(c.cue) : '' }}</span
        >
      </div>
      <div
        ref="lanesBox"
        class="lanes"
        :style="{ height: `${boxHeight}px` }"
        @scroll="top = lanesBox!.scrollTop"
      >
        <div :style="{ height: `${lanes.length * laneHeight}px` }" class="names">
          <button
            v-for="(l, i) in inSight"
            :key="l.number"
            v-hint:end="`${oneLine(l.path)}: ${kinds[l.kind]}`"
            type="button"
            class="lane-name bare"
            :class="{ chosen: l.number === chosen }"
            :style="{ top: `${(first + i) * laneHeight}px`, height: `${laneHeight}px` }"
            @click="$emit('choose', l.number)"
          >
            <span class="kind">{{ kinds[l.kind] }}</span>
            <span class="mono">{{ oneLine(titles[first + i] ?? '') }}</span>
          </button>
          <p v-if="lanes.length === 0" class="quiet">no progress, settings or pictures were used</p>
        </div>
      </div>
      <div class="drawn" :style="{ height: `${boxHeight}px` }">
        <canvas
          ref="canvas"
          tabindex="0"
          role="application"
          aria-label="Timeline. Plus and minus zoom, the arrows move, Home shows the whole run. What was done to a file stands under Steps."
          @pointerdown="press"
          @pointermove="move"
          @pointerup="release"
          @pointercancel="drag = undefined"
          @wheel="wheel"
          @dblclick="showAll"
          @keydown="key"
        />
      </div>
    </div>
    <FoldedPart title="As a table" class="twin mt-2">
      <v-table density="compact">
        <thead>
          <tr>
            <th>File</th>
            <th>Kind</th>
            <th class="text-right">Read</th>
            <th class="text-right">Last read</th>
            <th class="text-right">Written</th>
            <th class="text-right">Last written</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(l, i) in lanes" :key="l.number">
            <td>
              <button type="button" class="mono wrap link" @click="$emit('choose', l.number)">
                {{ oneLine(titles[i] ?? '') }}
              </button>
            </td>
            <td>{{ kinds[l.kind] }}</td>
            <td class="text-right">{{ times(total(l.lane?.reads)) }}</td>
            <td class="text-right">{{ lastRead(l) < 0 ? '' : runClock(lastRead(l), runs) }}</td>
            <td class="text-right">{{ times(total(l.lane?.writes)) }}</td>
            <td class="text-right">{{ lastWrite(l) < 0 ? '' : runClock(lastWrite(l), runs) }}</td>
          </tr>
        </tbody>
      </v-table>
    </FoldedPart>
  </v-card>
</template>

<style scoped src="./RunTimeline.css"></style>
