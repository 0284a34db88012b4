import { config } from '@vue/test-utils'

import { vHint } from '../src/hint'
import { shown } from '../src/shown'

// As main.ts does: what templates interpolate is shown by one function.
config.global.mocks = { $shown: shown }
config.global.directives = { hint: vHint }
