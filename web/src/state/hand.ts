/** What the hand has done and is not answered yet: shown at once, sent in order, taken back whether sent or not. */
import { shallowRef } from 'vue'
import type { Shot } from '../api/client'
import { sendHeld } from '../hand/held'
import { Order } from '../hand/order'

/** A shot as it is after a change; made anew, nothing of the old one is altered. What is gone is left alone. */
export type Apply = (shot: Shot) => Shot
export interface How {
  apply?: Apply
  /** Not in the order of the others: nobody waits for a picture that is being brought. */
  aside?: boolean
  /** Undo or redo, which can not be undone themselves. */
  step?: boolean
}
interface Done extends How {
  send: () => Promise<unknown>
  answered: (answer: never) => void
  state: 'waiting' | 'sent' | 'answered' | 'refused'
  undone: boolean
}

/** As many steps as the server keeps. */
const MOST_UNDONE = 500

export function useHand() {
  const order = new Order()
  const pending = shallowRef<Done[]>([])
  /** What can be taken back, and what has been: null stands for a step that the server made undone. */
  let done: Done[] = []
  let undone: (Done | null)[] = []

  const shown = (shot: Shot) => pending.value.reduce((so, one) => (one.apply && !one.undone ? one.apply(so) : so), shot)

  async function carry<T>(one: Done): Promise<T | null> {
    pending.value = [...pending.value, one]
    const send = async () => {
      one.state = 'sent'
      let answer
      try {
        answer = (await one.send()) as T | null
      } catch (error) {
        // known before the next one's turn comes: it may be the undo of this
        one.state = 'refused'
        done = done.filter((d) => d !== one)
        throw error
      }
      one.state = 'answered'
      pending.value = pending.value.filter((p) => p !== one)
      // what has been taken back meanwhile is not shown once more: the answer to that brings all
      if (answer !== null && !one.undone) one.answered(answer as never)
      return answer
    }
    try {
      return await (one.aside ? send() : order.add(one, send))
    } finally {
      pending.value = pending.value.filter((p) => p !== one)
    }
  }

  function asked<T>(send: () => Promise<T | null>, answered: (answer: T) => void, how: How): Promise<T | null> {
    const one: Done = { ...how, send, answered: answered as Done['answered'], state: 'waiting', undone: false }
    if (!how.step) {
      sendHeld()
      done = [...done, one].slice(-MOST_UNDONE)
      undone = []
    }
    return carry<T>(one)
  }

  /** `ask(wanted)`: has the server undo its last step, if by its turn that is still wanted. */
  async function undo(ask: (wanted: () => boolean) => Promise<unknown>) {
    sendHeld()
    const last = done.pop()
    if (last) {
      last.undone = true
      pending.value = [...pending.value]
      if (last.state === 'waiting' && order.drop(last)) return void undone.push(last)
    }
    undone.push(null)
    await ask(() => last?.state !== 'refused')
  }

  async function redo(ask: () => Promise<unknown>) {
    sendHeld()
    const last = undone.pop()
    if (!last) return void (await ask())
    const again: Done = { ...last, state: 'waiting', undone: false }
    done.push(again)
    await carry(again).catch(() => null)
  }

  /** Another shot is opened: what was done to the last one is sent, and neither shown nor undone here. */
  function leave() {
    sendHeld()
    pending.value = []
    done = []
    undone = []
  }

  /** When all that has been asked is answered. */
  const quiet = () => order.add({}, () => Promise.resolve())

  if (typeof window !== 'undefined')
    window.addEventListener('pagehide', () => {
      sendHeld()
      order.sendAll()
    })

  return { shown, asked, undo, redo, leave, quiet }
}
