import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it } from 'vitest'
import { ref } from 'vue'

import { useLibrary, type Clip } from '@/stores/library'
import { upOf } from './choices'
import { useClipFilter } from './useClipFilter'

const clip = (id: number, name: string, more: Partial<Clip> = {}) =>
  ({
    id,
    name,
    skeleton_id: 1,
    tags: [],
    seconds: 4,
    travel: 0,
    loop: false,
    retired: false,
    created: `2026-11-0${id}`,
    ...more,
  }) as unknown as Clip

beforeEach(() => {
  setActivePinia(createPinia())
  const library = useLibrary()
  library.skeletons = [
    { id: 1, name: 'hall' },
    { id: 2, name: 'yard' },
  ] as never
  library.clips = [
    clip(1, 'walk 10', { tags: ['night'], travel: 2.1, loop: true, seconds: 5 }),
    clip(2, 'walk 2', { travel: 0.29, seconds: 2.9 }),
    clip(3, 'gallop', { skeleton_id: 2, travel: 9, loop: true, seconds: 6 }),
    clip(4, 'bow', { tags: ['night', 'greeting'], seconds: 3 }),
    clip(5, 'old bow', { retired: true }),
  ]
})
function filtered(choices: Record<string, string> = {}, skeleton: number | null = null, order = 'name') {
  const filter = useClipFilter(ref(false))
  Object.assign(filter.choices, choices)
  filter.skeleton.value = skeleton
  filter.order.value = order
  return filter.shown.value.map(({ id }) => id)
}

describe('clips of the library', () => {
  it('are those in use, numbers in names in their order', () => {
    expect(filtered()).toEqual([4, 3, 2, 1])
    expect(useClipFilter(ref(true)).shown.value.map(({ id }) => id)).toEqual([5])
  })
  it.each([
    [{ text: 'walk' }, [2, 1]],
    [{ text: 'NIGHT  wa' }, [1]],
    [{ text: 'yard' }, [3]],
    [{ tag: 'night' }, [4, 1]],
    [{ length: 'short' }, [2]],
    [{ length: 'middling' }, [4, 1]],
    [{ length: 'long' }, [3]],
    [{ travel: 'travels' }, [3, 1]],
    [{ travel: 'stays' }, [4, 2]],
    [{ loop: 'loops' }, [3, 1]],
    [{ loop: 'not' }, [4, 2]],
    [{ loop: 'loops', tag: 'night' }, [1]],
  ])('as %j asks for', (choices, ids) => expect(filtered(choices)).toEqual(ids))
  it('of a skeleton, and in another order', () => {
    expect(filtered({}, 2)).toEqual([3])
    expect(filtered({}, null, 'newest')).toEqual([4, 3, 2, 1])
    expect(filtered({}, null, 'longest')).toEqual([3, 1, 4, 2])
    expect(filtered({}, null, 'farthest')).toEqual([3, 1, 2, 4])
    expect(filtered({}, null, 'skeleton')).toEqual([4, 2, 1, 3])
    useLibrary().skeletons = [
      { id: 1, name: 'Yard' },
      { id: 2, name: 'attic' },
    ] as never
    expect(filtered({}, null, 'skeleton')).toEqual([3, 4, 2, 1]) // by the name that is seen
  })
  it('are all shown again once nothing is asked for, though a field was emptied by its cross', () => {
    const filter = useClipFilter(ref(false))
    expect(filter.isFiltered.value).toBe(false)
    Object.assign(filter.choices, { text: null, tag: 'night' })
    expect([filter.isFiltered.value, filter.shown.value.length]).toEqual([true, 2])
    filter.clear()
    expect([filter.isFiltered.value, filter.shown.value.length]).toEqual([false, 4])
  })
})

describe('the axis that is up', () => {
  it('is told with why, and what comes of another', () => {
    const up = upOf(['up is +Z, by the legs', 'unit is cm', 'it faces +Y'])
    expect(up.value).toBe('+Z')
    expect(up.why).toMatch(/^up is \+Z, by the legs\. it faces \+Y\. With another axis the file is read again/)
    expect(upOf([]).value).toBe('…')
  })
})
