import { expect, test } from 'vitest'

import type { Schemas } from '../src/api/client'
import { untried } from '../src/pages/titles/missing'

function variant(change: object, ...locations: object[]): Schemas['Variant'] {
  return {
    name: '',
    store: 'quayside',
    ref: '1',
    launcher: 'quayside',
    os: 'linux',
    runtime: 'prefix',
    cloud: '',
    absence: null,
    locations: locations.map((l) => ({ usable: true, hazards: [], cloud: '', ...l })),
    ...change,
  } as unknown as Schemas['Variant']
}

test('what nobody has tried is named, and what somebody has is not', () => {
  expect(untried(variant({}))).toEqual([])
  expect(untried(variant({}, {}))).toHaveLength(3)
  expect(untried(variant({ runtime: 'native', launcher: '' }, {}))).toEqual([])
  const hazards = [
    { destroys: true, text: 'removing the prefix deletes this (1 experiment)' },
    { destroys: false, text: 'moving the installation leaves this (1 experiment)' },
  ]
  expect(untried(variant({}, { hazards, cloud: 'kept' }))).toEqual([])
  expect(untried(variant({}, { hazards, cloud: 'kept' }, {}))).toHaveLength(1)
  expect(untried(variant({}, { usable: false }))).toEqual([])
})
