import { type Directive, shallowRef } from 'vue'

/** What the page's one tooltip shows now, and the element that it explains. */
export const hint = shallowRef<Hint>()

interface Hint {
  text: string
  about: HTMLElement
  side: Side
}

/** Where the tooltip stands: below what it explains, or at its end, where rows lie close together. */
type Side = 'bottom' | 'end'

/** The id of the tooltip: what it explains is described by it while it shows (ARIA). */
export const hintId = 'hint'

/** How long the pointer rests before the tooltip shows, in milliseconds. */
const rest = 400

/** How long the pointer may be under way from the element to the tooltip (WCAG 2.2, 1.4.13). */
const underWay = 200

const hints = new WeakMap<HTMLElement, Hint>()
let timer: ReturnType<typeof setTimeout> | undefined

function show(about: HTMLElement, after: number) {
  if (!hints.get(about)?.text) return // what is around it may have one
  clearTimeout(timer)
  timer = setTimeout(() => {
    const next = hints.get(about)
    if (!next?.text || !about.isConnected) return
    hint.value?.about.removeAttribute('aria-describedby')
    about.setAttribute('aria-describedby', hintId)
    hint.value = next
  }, after)
}

/** Keeps the tooltip while the pointer is over it. */
export const keepHint = () => clearTimeout(timer)

/** Hides the tooltip, at once or when the pointer has not reached it in time. */
export function hideHint(after = 0) {
  clearTimeout(timer)
  const hide = () => {
    hint.value?.about.removeAttribute('aria-describedby')
    hint.value = undefined
  }
  if (after) timer = setTimeout(hide, after)
  else hide()
}

/** What a tooltip explains: the element itself, or the row of a tree that it stands in. */
const explained = (el: HTMLElement, row?: boolean) =>
  (row && el.closest<HTMLElement>('[role="treeitem"]')) || el

/**
 * v-hint="text", v-hint:end="text": a tooltip with this text, by pointer and by keyboard; none
 * for an empty text. v-hint.row explains the row of a tree that the element stands in: the row has
 * the keyboard's focus.
 */
export const vHint: Directive<HTMLElement, string | undefined, 'row', Side> = {
  mounted(inner, { value, arg, modifiers }) {
    const el = explained(inner, modifiers.row)
    hints.set(el, { text: value ?? '', about: el, side: arg ?? 'bottom' })
    el.addEventListener('mouseenter', () => show(el, rest))
    el.addEventListener('mouseleave', () => hideHint(underWay))
    el.addEventListener('focus', () => el.matches(':focus-visible') && show(el, 0))
    el.addEventListener('blur', () => hideHint())
    el.addEventListener('click', () => hideHint())
  },
  updated(inner, { value, arg, modifiers }) {
    const el = explained(inner, modifiers.row)
    const next = { text: value ?? '', about: el, side: arg ?? 'bottom' }
    hints.set(el, next)
    if (hint.value?.about === el) hint.value = value ? next : undefined
  },
  beforeUnmount(inner, { modifiers }) {
    if (hint.value?.about === explained(inner, modifiers.row)) hideHint()
  },
}
