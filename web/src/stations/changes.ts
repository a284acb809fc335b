import type { Schemas } from '../api/client'

type Change = Schemas['Change']
type Json = unknown
const isMap = (v: Json): v is Record<string, Json> => typeof v === 'object' && v !== null && !Array.isArray(v)
const same = (a: Json, b: Json) => JSON.stringify(a) === JSON.stringify(b)
const escape = (name: string) => name.replaceAll('~', '~0').replaceAll('/', '~1')

/** Places in which two readings differ, as JSON Pointers; a list that became shorter counts as a whole. */
export function differences(old: Json, now: Json, at = ''): Change[] {
  if (isMap(old) && isMap(now) && Object.keys(old).every((k) => k in now))
    return Object.entries(now).flatMap(([name, value]) => {
      const path = `${at}/${escape(name)}`
      return name in old ? differences(old[name], value, path) : [{ path, value }]
    })
  if (Array.isArray(old) && Array.isArray(now) && old.length <= now.length)
    return now.flatMap((value: Json, i) =>
      i < old.length ? differences(old[i], value, `${at}/${i}`) : [{ path: `${at}/${i}`, value }],
    )
  return same(old, now) ? [] : [{ path: at, value: now }]
}

const steps = (path: string) =>
  path
    .split('/')
    .slice(1)
    .map((s) => s.replaceAll('~1', '/').replaceAll('~0', '~'))

/** What stands at a place. */
export const lookUp = (readings: Json, path: string): Json =>
  steps(path).reduce<Json>(
    (at, s) => (isMap(at) || Array.isArray(at) ? (at as Record<string, Json>)[s] : undefined),
    readings,
  )

/** Whether one place is the other, or lies within it. */
export const touches = (a: string, b: string) => a === b || a.startsWith(`${b}/`) || b.startsWith(`${a}/`)

/** Puts a value at a place that there is. */
export function putAt(now: Record<string, Json>, path: string, value: Json) {
  const way = steps(path)
  const last = way.pop()
  const parent = lookUp(now, way.length ? `/${way.map(escape).join('/')}` : '')
  if (last !== undefined && (isMap(parent) || Array.isArray(parent)))
    (parent as Record<string, Json>)[last] = value
}

/** Puts what others changed between `sent` and `got` into `now`, save where something was typed since. */
export function takeOver(now: Record<string, Json>, sent: Json, got: Json) {
  for (const { path, value } of differences(sent, got))
    if (same(lookUp(now, path), lookUp(sent, path))) putAt(now, path, value)
}
