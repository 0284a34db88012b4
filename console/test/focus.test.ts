import { mount } from '@vue/test-utils'
import { afterEach, describe, expect, it } from 'vitest'
import { h, withDirectives } from 'vue'

import { vCursor } from '../src/focus'

/** A field as the components draw it: an element around an input. */
const show = (field: string) =>
  mount(() => withDirectives(h('div', h(field, { name: 'first' })), [[vCursor]]), { attachTo: document.body })

/** Something on the page that has the cursor. */
function focused(html: string): HTMLElement {
  document.body.innerHTML = html
  const element = document.body.firstElementChild as HTMLElement
  element.focus()
  expect(document.activeElement).toBe(element)
  return element
}

describe('the cursor', () => {
  afterEach(() => (document.body.innerHTML = ''))

  it.each(['input', 'textarea'])('is in the %s as soon as it is there', (field) => {
    const w = show(field)
    expect(document.activeElement).toBe(w.get('[name=first]').element)
  })

  it.each(['<input />', '<textarea></textarea>'])('is not taken from somebody who types in %s', (html) => {
    const other = focused(html)
    show('input')
    expect(document.activeElement).toBe(other)
  })

  it('leaves the button that brought the field', () => {
    focused('<button>Return</button>')
    const w = show('textarea')
    expect(document.activeElement).toBe(w.get('[name=first]').element)
  })
})
