/**
 * News: one stream for all pages of a browser. The page that holds the lock listens to the server and passes on what
 * it hears; when it closes, the next one takes over. Where that cannot be, each page asks for its shot's revision now
 * and then.
 */
export type Kind = 'changed' | 'rail' | 'job' | 'removed' | 'warming' | 'folder'
export interface Message {
  shot: string
  kind: Kind | 'again'
  data: Record<string, unknown>
}
type Hear = (message: Message) => void

const NAME = 'roof-line-news'
const KINDS: Kind[] = ['changed', 'rail', 'job', 'removed', 'warming', 'folder']
const ASK_EVERY = 2000

const ears = new Set<Hear>()
const tell = (message: Message) => ears.forEach((hear) => hear(message))
let begun = false

/** Listen until the page goes: to the server's stream, or, where it is full, by saying that it is time to ask again. */
function lead(pass: Hear): Promise<never> {
  return new Promise(() => {
    const again = () => pass({ shot: '', kind: 'again', data: {} })
    const source = new EventSource('/api/news')
    // something may have been missed before the stream was open, or while it was broken
    source.onopen = again
    for (const kind of KINDS) {
      source.addEventListener(kind, (event) => {
        const data = JSON.parse((event as MessageEvent<string>).data) as Record<string, unknown> & { shot: string }
        pass({ shot: data.shot, kind, data })
      })
    }
    source.onerror = () => {
      again() // the server may be away, and what it said meanwhile is missed
      if (source.readyState !== EventSource.CLOSED) return // it tries again by itself
      source.close()
      setInterval(again, ASK_EVERY)
    }
  })
}

function begin() {
  begun = true
  if (!('locks' in navigator) || !('BroadcastChannel' in window)) {
    setInterval(() => tell({ shot: '', kind: 'again', data: {} }), ASK_EVERY)
    return
  }
  const channel = new BroadcastChannel(NAME)
  channel.onmessage = (event: MessageEvent<Message>) => tell(event.data)
  void navigator.locks.request(NAME, () =>
    lead((message) => {
      tell(message)
      channel.postMessage(message)
    }),
  )
}

/** Hear all news from now on; returns what ends it. */
export function listen(hear: Hear): () => void {
  ears.add(hear)
  if (!begun) begin()
  return () => void ears.delete(hear)
}
