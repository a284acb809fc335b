import { expect, test } from 'vitest'

import { duration, hours, moment, numberOf } from '../src/api/words'
import { differences, lookUp, putAt, takeOver } from '../src/stations/changes'

test('a comma is a decimal point, and what is no number is none', () => {
  expect(numberOf('27,5')).toBe(27.5)
  expect(numberOf(' -.5 ')).toBe(-0.5)
  for (const none of ['', '12x4', '1e5', '--2', '1,2,3', null, undefined]) expect(numberOf(none)).toBeNull()
})

test('times are told as a person tells them', () => {
  expect([hours(59.6), hours(80), hours(12)]).toEqual(['1 h 00', '1 h 20', '12 min'])
  expect([duration(35), duration(89), duration(240)]).toEqual(['35 s', '89 s', '4 min'])
  expect(moment('yesterday')).toBe('“yesterday” (no date)')
})

test('what differs, put at its place, makes the old the new', () => {
  const old = { runs: ['1', '2'], 'a/b': { '~': 1 }, gone: null }
  const now = { runs: ['1', '9', '3'], 'a/b': { '~': 2, more: true }, gone: 'x' }
  const got = structuredClone(old)
  for (const { path, value } of differences(old, now)) putAt(got, path, value)
  expect(got).toEqual(now)
  expect(lookUp(now, '/a~1b/~0')).toBe(2)
  expect(lookUp(now, '/nowhere/at/all')).toBeUndefined()
})

test('what another hand changed is taken over, but not over what was typed since', () => {
  const sent = { one: '1', two: '2' }
  const typed = { one: '1', two: '2 and a half' }
  takeOver(typed, sent, { one: '10', two: '20' })
  expect(typed).toEqual({ one: '10', two: '2 and a half' })
})
