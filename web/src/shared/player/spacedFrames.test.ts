import { expect, test } from 'vitest'

import { spacedFrames } from './spacedFrames'

test.each([
  [1, 12, [0]],
  [3, 12, [0, 1, 2]],
  [101, 3, [0, 50, 100]],
  [10, 4, [0, 3, 6, 9]],
])('of %i frames at most %i', (frames, most, wanted) => expect(spacedFrames(frames, most)).toEqual(wanted))
