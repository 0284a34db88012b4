import { marks, type Span, type Stroke } from './timeline'

export const laneHeight = 24

interface Drawn {
  lanes: { number: number; lane?: { reads?: Stroke[]; writes?: Stroke[] } }[]
  offset: number
  height: number
  width: number
  span: Span
  cues: number[]
  moments: number[]
  /** Where a run begins behind another. */
  runs: number[]
  chosen?: number
  drag?: { from: number; to: number }
  colors: Readonly<Record<string, unknown>>
}

/**
 * Draws lanes: what was read as hollow boxes in the upper half, what was written as full
 * ones over the whole height, so that the two are told apart without colours.
 */
export function drawLanes(canvas: HTMLCanvasElement, d: Drawn) {
  const ratio = window.devicePixelRatio || 1
  if (canvas.width !== d.width * ratio || canvas.height !== d.height * ratio) {
    canvas.width = d.width * ratio
    canvas.height = d.height * ratio
    canvas.style.width = `${d.width}px`
    canvas.style.height = `${d.height}px`
  }
  const c = canvas.getContext('2d')
  if (!c) return
  const color = (name: string) => String(d.colors[name] ?? '#808080')
  c.setTransform(ratio, 0, 0, ratio, 0, 0)
  c.clearRect(0, 0, d.width, d.height)
  c.globalAlpha = 0.12
  c.fillStyle = color('on-surface')
  for (const x of d.moments) c.fillRect(Math.round(x), 0, 1, d.height)
  c.globalAlpha = 0.5
  for (const x of d.runs) c.fillRect(Math.round(x) - 1, 0, 2, d.height)
  d.lanes.forEach((lane, i) => {
    const y = d.offset + i * laneHeight
    c.globalAlpha = 0.12
    c.fillStyle = color('on-surface')
    c.fillRect(0, y + laneHeight - 1, d.width, 1)
    if (lane.number === d.chosen) {
      c.globalAlpha = 0.1
      c.fillStyle = color('primary')
      c.fillRect(0, y, d.width, laneHeight)
    }
    c.globalAlpha = 1
    c.strokeStyle = color('info')
    c.lineWidth = 1
    for (const m of marks(lane.lane?.reads, d.span, d.width))
      c.strokeRect(Math.round(m.left) + 0.5, y + 4.5, Math.max(2, Math.round(m.right - m.left)), 8)
    c.fillStyle = color('secondary')
    for (const m of marks(lane.lane?.writes, d.span, d.width))
      c.fillRect(Math.round(m.left), y + 4, Math.max(3, Math.round(m.right - m.left)), laneHeight - 8)
  })
  c.globalAlpha = 1
  c.strokeStyle = color('primary')
  c.lineWidth = 1.5
  c.setLineDash([4, 3])
  for (const x of d.cues) {
    c.beginPath()
    c.moveTo(x + 1, 0)
    c.lineTo(x + 1, d.height)
    c.stroke()
  }
  c.setLineDash([])
  if (d.drag) {
    c.globalAlpha = 0.2
    c.fillStyle = color('primary')
    c.fillRect(Math.min(d.drag.from, d.drag.to), 0, Math.abs(d.drag.to - d.drag.from), d.height)
    c.globalAlpha = 1
  }
}
