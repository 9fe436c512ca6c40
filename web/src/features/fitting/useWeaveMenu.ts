import type { Ref } from 'vue'

import { copyText } from '@/shared/clipboard'
import { useContextMenu, type MenuItem } from '@/shared/frame/useContextMenu'
import { labelOf, SHORTCUTS } from '@/shared/shortcuts/shortcuts'
import type { Fitting, Which } from './weave'

export type PairAct = 'confirm' | 'confirm limb' | 'remove' | 'leave out' | 'swap'
type Pairing = keyof typeof SHORTCUTS.Pairing.shortcuts

/** What can be done with a bone of the weave where the pointer is. */
export function useWeaveMenu(
  fitting: () => Fitting,
  held: Ref<{ which: Which; bone: string } | null>,
  does: { take: (which: Which, bone: string, add?: boolean) => void; act: (what: PairAct) => void },
) {
  const { open } = useContextMenu()
  const row = (label: string, shortcut: Pairing, what: PairAct, disabled = false): MenuItem => ({
    label,
    key: labelOf(SHORTCUTS.Pairing.shortcuts[shortcut]),
    disabled,
    act: () => does.act(what),
  })
  /** part: of the bone, or of its pair; none where the body plan knows nothing of it. */
  return (event: MouseEvent, which: Which, bone: string, part: string | null) => {
    open(event, part ? `${bone}, ${part}` : bone, () => {
      const pair = fitting().pairs.find((pair) => pair[which].includes(bone))
      const other = held.value && held.value.which !== which ? held.value : null
      const isHeld = held.value?.which === which && held.value.bone === bone
      const take: MenuItem[] = other
        ? [
            { label: `Pair it with ${other.bone}`, act: () => does.take(which, bone) },
            {
              label: `Add it to the pair of ${other.bone}`,
              disabled: !fitting().pairs.some((pair) => pair[other.which].includes(other.bone)),
              act: () => does.take(which, bone, true),
            },
          ]
        : [{ label: isHeld ? 'Let go of it' : 'Take it, to pair it', act: () => does.take(which, bone) }]
      const isOut = !!part && fitting().left_out.includes(part)
      return [
        ...take,
        row('Confirm', 'confirm', 'confirm', !pair || pair.confirmed),
        row('Confirm the limb', 'confirmLimb', 'confirm limb', !pair),
        row('Swap the sides of the limb', 'swap', 'swap', !pair?.part),
        row('Remove the pair', 'remove', 'remove', !pair),
        row(isOut ? 'Take it back in' : 'Leave it out', 'leaveOut', 'leave out', !part || part.startsWith('+')),
        { label: 'Copy its name', act: () => copyText(bone, `“${bone}” is in the clipboard.`, `its name is ${bone}.`) },
      ]
    })
  }
}
