import { useSessionStorage } from '@vueuse/core'
import { defineStore } from 'pinia'

import type { Cell } from './board'

/** Cells of the board, kept across a reload. */
export const useChoice = defineStore('choice', () => {
  /** What is taken along to the review or the delivery. */
  const cells = useSessionStorage<Cell[]>('armuto.choice', [])
  /** What is swept on the board. */
  const swept = useSessionStorage<Cell[]>('armuto.swept', [])
  return { cells, swept }
})
