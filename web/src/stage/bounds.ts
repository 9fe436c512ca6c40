import { Box3 } from 'three'

/** The box around points whose coordinates stand one after another, three each. */
export const boundsOf = (positions: ArrayLike<number>) => new Box3().setFromArray(positions as Float32Array)
