import { config } from '@vue/test-utils'

import { shown } from '../src/shown'

// As main.ts does: what templates interpolate is shown by one function.
config.global.mocks = { $shown: shown }
