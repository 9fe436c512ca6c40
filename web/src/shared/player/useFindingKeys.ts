import { computed, type Ref } from 'vue'

import type { Schemas } from '@/api/client'
import { useShortcuts } from '@/shared/shortcuts/useShortcuts'

/** Where findings begin that have a place in time, in their order, and the keys that go from each to the next. */
export function useFindingKeys(
  findings: Ref<Schemas['FindingOut'][]>,
  frame: Ref<number>,
  go: (frame: number) => void,
) {
  const starts = computed(() => {
    const timed = findings.value.filter((finding) => finding.unit)
    return [...new Set(timed.flatMap((finding) => finding.spans.map(([first]) => first)))].sort((a, b) => a - b)
  })
  useShortcuts('Findings', {
    before: () => go(starts.value.findLast((start) => start < frame.value) ?? frame.value),
    after: () => go(starts.value.find((start) => start > frame.value) ?? frame.value),
  })
  return starts
}
