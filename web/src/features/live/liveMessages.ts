/** What a page and the studio tell each other over the WebSocket of a stage, as in studio/live/schemas.py. */
export interface Role {
  character: number
  performer: number
}
export interface PageMessage {
  perform?: Role[]
  record?: boolean
  clock?: number
}
export interface PerformerState {
  name: string
  skeleton: string
  recognised: boolean
  came: number
  lost: number
  late: number
}
export interface CharacterState extends Role {
  fitting: number | null
  skipped: number
  note: string
  failed: boolean
}
export interface StageState {
  state: 'connecting' | 'recognising' | 'live' | 'silent' | 'away'
  sentence: string
  name: string
  fps: number
  performers: PerformerState[]
  characters: CharacterState[]
  recording: number | null
}
export interface KeptTake {
  name: string
  frames: number
  bridged: number
  came_in: boolean
}
export interface StudioMessage {
  clock?: number
  here?: number
  state?: StageState
  kept?: KeptTake[]
}

/** A frame of a character: local rotations (joints, 4), then translations (joints, 3). captured: seconds since 1970. */
export interface LiveFrame {
  captured: number
  values: Float32Array
}

const HEAD = 16 // bytes: character, number, when it was captured

export function readFrame(data: ArrayBuffer): LiveFrame & { character: number } {
  const view = new DataView(data)
  return {
    character: view.getUint32(0, true),
    captured: view.getFloat64(8, true),
    values: new Float32Array(data, HEAD),
  }
}

/** Roles as they stand in an address, "5.0,3.1": character and performer. */
export const rolesFrom = (text: string): Role[] =>
  text
    .split(',')
    .map((role) => role.split('.').map(Number))
    .filter(([character, performer]) => character > 0 && performer >= 0)
    .map(([character, performer]) => ({ character, performer }))
export const rolesTo = (roles: Role[]) => roles.map(({ character, performer }) => `${character}.${performer}`).join()
