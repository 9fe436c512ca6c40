import { useMessages } from '@/stores/messages'

/** Put text into the clipboard and say so, or, where the browser gives no access to it, what to copy by hand. */
export async function copyText(text: string, done: string, byHand: string) {
  try {
    await navigator.clipboard.writeText(text)
    useMessages().say(done)
  } catch {
    useMessages().warn(`This browser gives no access to the clipboard; ${byHand}`)
  }
}

/** Put the address of a view of this studio into the clipboard. path: of another view than the one that is shown. */
export function copyLink(path = location.pathname + location.search) {
  const address = new URL(path, location.origin).href
  return copyText(
    address,
    'The link is in the clipboard; whoever opens it sees what you see.',
    `copy the address by hand: ${address}`,
  )
}
