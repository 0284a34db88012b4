import type { Directive } from 'vue'

/**
 * Puts the cursor into a field as it appears, unless a person types somewhere
 * already. The components' own autofocus waits until the field is seen, and then
 * takes the cursor away from whoever was quicker.
 */
export const vCursor: Directive<HTMLElement> = {
  mounted(element) {
    if (document.activeElement?.matches('input, textarea')) return
    element.querySelector<HTMLElement>('input, textarea:not([readonly])')?.focus()
  },
}
