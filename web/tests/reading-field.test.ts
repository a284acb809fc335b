import { mount } from '@vue/test-utils'
import { expect, test } from 'vitest'

import ReadingField from '../src/ui/ReadingField.vue'

const typed = async (props: Record<string, unknown>, text: string) => {
  const field = mount(ReadingField, { props: { path: 'at_c', label: 'Nozzle', ...props } })
  await field.find('input').setValue(text)
  return field.emitted('update:modelValue')?.at(-1)?.[0]
}

test('what is typed is kept letter for letter, comma and all', async () => {
  expect(await typed({ unit: 'mm', kept: 'mm' }, '27,5')).toBe('27,5')
  expect(await typed({ unit: 'mm', kept: 'mm' }, '12x4')).toBe('12x4')
})

test('a bare number in another shop unit carries that unit; one with its own keeps it', async () => {
  expect(await typed({ unit: '°F', kept: '°C' }, '392')).toBe('392 °F')
  expect(await typed({ unit: '°F', kept: '°C' }, '200 °C')).toBe('200 °C')
})

test('a number that came without a unit shows the unit in which it is kept', () => {
  const field = mount(ReadingField, {
    props: { path: 'at_c', label: 'Nozzle', unit: '°F', kept: '°C', modelValue: '200' },
  })
  expect(field.find('.unit').text()).toBe('°C')
})

test('a message is tied to its field and offers what was meant', async () => {
  const field = mount(ReadingField, {
    props: {
      path: 'runs.1',
      label: 'Run 2',
      modelValue: '2.1',
      error: { field: 'runs.1', message: 'Did you mean 21 mm?', code: 'did_you_mean', take: '21' },
    },
  })
  const input = field.find('input')
  expect(input.attributes('aria-invalid')).toBe('true')
  const message = field.find(`#${input.attributes('aria-describedby')}`)
  expect(message.text()).toContain('Did you mean 21 mm?')
  const [take, right] = field.findAll('button')
  await take?.trigger('click')
  await right?.trigger('click')
  expect(field.emitted('accept')).toEqual([['21']])
  expect(field.emitted('confirm')).toHaveLength(1)
})
