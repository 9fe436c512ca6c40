import { useMessages } from '@/stores/messages'

/** Put the address of a view of this studio into the clipboard. path: of another view than the one that is shown. */
export async function copyLink(path = location.pathname + location.search) {
  const address = new URL(path, location.origin).href
  try {
    await navigator.clipboard.writeText(address)
    useMessages().say('The link is in the clipboard; whoever opens it sees what you see.')
  } catch {
    useMessages().warn(`This browser gives no access to the clipboard; copy the address by hand: ${address}`)
  }
}
