import type { Ref } from 'vue'

import { copyText } from '@/shared/clipboard'
import { useContextMenu, type MenuItem } from '@/shared/frame/useContextMenu'
import type { MotionStudy } from '@/shared/player/useMotionStudy'
import { LEAVES, type Leaf } from './leaves'
import type { Ring } from './useRings'

/** What can be done with a bone where the pointer is at its ring. */
export function useBoneMenu({ leaf, study }: { leaf: Ref<Leaf>; study: MotionStudy }) {
  const { open } = useContextMenu()
  return (event: MouseEvent, { which, bone, part }: Ring) => {
    const look = (act: () => void) => () => {
      study.choose(bone)
      act()
    }
    const closer: MenuItem[] = [
      { label: 'Its trace', key: 'J', act: look(() => (study.trace.value = true)) },
      { label: 'Its height as a curve', key: 'Y', act: look(() => (study.curve.value = 'height')) },
      { label: 'Its speed', act: look(() => (study.curve.value = 'speed')) },
    ]
    open(event, part ? `${bone}, ${part}` : bone, () => [
      ...(which === 'target' ? closer : []),
      ...(Object.keys(LEAVES) as Leaf[])
        .filter((key) => key !== leaf.value)
        .map((key) => ({ label: `To ${LEAVES[key].toLowerCase()}`, act: () => (leaf.value = key) })),
      { label: 'Copy its name', act: () => copyText(bone, `“${bone}” is in the clipboard.`, `its name is ${bone}.`) },
    ])
  }
}
