import { defineStore } from 'pinia'
import { ref, watch } from 'vue'

import type { Cell } from './board'

const PLACE = 'armuto.choice'

/** Cells that were swept on the board and are taken along to the review or the delivery, across a reload too. */
export const useChoice = defineStore('choice', () => {
  let stored: Cell[] = []
  try {
    stored = JSON.parse(sessionStorage.getItem(PLACE) ?? '[]') as Cell[]
  } catch {
    // Whatever lies there is not ours.
  }
  const cells = ref<Cell[]>(stored)
  watch(cells, (now) => sessionStorage.setItem(PLACE, JSON.stringify(now)))
  return { cells }
})
