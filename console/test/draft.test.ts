import { mount } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import { createVuetify } from 'vuetify'

import type { Schemas } from '../src/api/client'
import DraftLocations from '../src/pages/reviews/DraftLocations.vue'

describe('DraftLocations', () => {
  const shown = (other: number) =>
    mount(DraftLocations, {
      props: {
        contribution: {
          state: 'waiting',
          locations: [],
          coverage: [],
          draft: {
            locations: [
              {
                at: 'xdg-data:tarn/keepers/ANNA.sav',
                holds: 'save',
                sources: { program: 1, other, unsure: 0, files: 14 },
              },
            ],
          },
        } as unknown as Schemas['ContributionShown'],
      },
      global: { plugins: [createVuetify()] },
    })

  it('warns of a name that a player may have chosen', () => {
    expect(shown(1).get('.chosen').text()).toMatch(/^1 name in it: in none of the program’s\s+14 files/)
    expect(shown(0).find('.chosen').exists()).toBe(false)
  })
})
