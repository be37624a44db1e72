/**
 * The choice is the hand's: what waits for an answer may choose what has been made only while nothing else has been
 * chosen meanwhile.
 */

/** Whether what is read is still what it was when this was called: ask it after waiting. */
export function stays<T>(read: () => T): () => boolean {
  const was = JSON.stringify(read())
  return () => JSON.stringify(read()) === was
}
