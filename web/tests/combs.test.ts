import { mount } from '@vue/test-utils'
import { expect, test } from 'vitest'

import CombsDrawing from '../src/drawings/CombsDrawing.vue'

const drawn = (tooth: number | null) => {
  const combs = mount(CombsDrawing, { props: { tooth } })
  return { says: combs.text(), meet: combs.findAll('.meets').length }
}

test('before anybody has looked no pair of teeth is said to meet', () => {
  const nothing = drawn(null)
  expect(nothing.says).toContain('which pair stands in one line?')
  expect(nothing.meet).toBe(0)
})

test('the pair that was seen is the one that is drawn as meeting, the middle as well', () => {
  expect(drawn(0)).toMatchObject({ meet: 2 })
  expect(drawn(0).says).toContain('the middle meets')
  expect(drawn(-3)).toMatchObject({ meet: 2 })
  expect(drawn(-3).says).toContain('tooth -3 meets')
})
