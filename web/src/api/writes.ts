/**
 * What the page may ask a shot to be changed to: paths and bodies as the server's document has them, checked by the
 * compiler. A path is written as it is sent; a body may leave out what the server fills in.
 */
import type { paths } from './types.gen'

type Shot = '/api/shots/{shot_id}'
export type Method = 'PUT' | 'POST' | 'PATCH' | 'DELETE'

/** The parts between the slashes of a path; one that is in braces in the document stands for any text. */
type Parts<S extends string> = S extends `${infer A}/${infer B}`
  ? [...Parts<A>, ...Parts<B>]
  : S extends ''
    ? []
    : S extends `{${string}}`
      ? [string]
      : [S]
type Plain<S extends string> = S extends `${infer A}?${string}` ? A : S
/** Whether a path's parts are those of one of the document: its words alike, anything where that has a name. */
type Alike<Mine, Theirs> = Mine extends [infer A, ...infer Rest]
  ? Theirs extends [infer B, ...infer More]
    ? string extends B
      ? Alike<Rest, More>
      : A extends B
        ? Alike<Rest, More>
        : false
    : false
  : Theirs extends []
    ? true
    : false
type Asked<P extends keyof paths, M extends Method> = NonNullable<paths[P][Lowercase<M>]>
/** The document's path that is meant. */
type Meant<P extends string, M extends Method> = {
  [K in keyof paths]: K extends `${Shot}${infer Rest}`
    ? [Asked<K, M>] extends [never]
      ? never
      : Alike<Parts<Plain<P>>, Parts<Rest>> extends true
        ? K
        : never
    : never
}[keyof paths]
/** Some of a body: its names and what they hold, none that it has not. */
type Some<T> = T extends readonly unknown[] ? T : T extends object ? { [K in keyof T]?: Some<T[K]> } : T
type BodyOf<O> = O extends { requestBody?: { content: infer C } }
  ? C extends { 'application/json': infer B }
    ? Some<B>
    : FormData
  : undefined
/** What is sent to a path; `never` for a path that the server has not. */
type Body<P extends string, M extends Method> =
  Meant<P, M> extends infer K
    ? [K] extends [never]
      ? never
      : K extends keyof paths
        ? BodyOf<Asked<K, M>>
        : never
    : never
/** A body that is made when its turn comes; none: nothing is asked. */
type Made<B> = () => B | undefined | Promise<B | undefined>
/** What follows a path where it is asked: a body, and more; or, where the server has no such path, what nobody has. */
export type Given<P extends string, M extends Method, More extends unknown[]> = P extends unknown
  ? [Meant<P, M>] extends [never]
    ? [`the server has no such ${M}`]
    : [body?: Body<P, M> | Made<Body<P, M>>, ...more: More]
  : never
