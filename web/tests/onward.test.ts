import { mount } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { defineComponent, h, nextTick, ref } from 'vue'

import ChoiceRow from '../src/ui/ChoiceRow.vue'
import PickList from '../src/ui/PickList.vue'
import ReadingField from '../src/ui/ReadingField.vue'
import StringsPick from '../src/ui/StringsPick.vue'
import TextLine from '../src/ui/TextLine.vue'
import { meant, onward } from '../src/ui/onward'

/* What is laid out is seen: the test's page lays nothing out. */
beforeEach(() => {
  Object.defineProperty(HTMLElement.prototype, 'offsetParent', {
    configurable: true,
    get: () => document.body,
  })
})
afterEach(() => {
  document.body.replaceChildren()
})

const answers = [
  { value: 'yes', label: 'yes' },
  { value: 'no', label: 'no' },
]

function bench(given: { from?: string; answered?: string } = {}) {
  const answer = ref<string | undefined>(given.answered)
  const strings = ref<string | null>(null)
  const view = mount(
    defineComponent({
      render: () => [
        h(ReadingField, { path: 'one', label: 'One', modelValue: '' }),
        h(ReadingField, { path: 'two', label: 'Two', modelValue: '210', from: given.from }),
        h(ChoiceRow, {
          name: 'leaks',
          label: 'Does it leak?',
          options: answers,
          modelValue: answer.value,
          'onUpdate:modelValue': (v: string | undefined) => (answer.value = v),
        }),
        h(StringsPick, {
          modelValue: strings.value,
          'onUpdate:modelValue': (v: unknown) => (strings.value = String(v)),
        }),
        h('button', { 'data-close': '' }, 'Close'),
      ],
    }),
    { attachTo: document.body },
  )
  return { view, answer, strings }
}
/** The same in a dialog, with a list, a line of words and the button that sends. */
function dialog(chosen: string) {
  const asks = () =>
    h('div', { role: 'dialog' }, [
      h(ReadingField, { path: 'one', label: 'One', modelValue: '' }),
      h(PickList, {
        id: 'part',
        label: 'Part',
        modelValue: chosen,
        options: [
          { value: '', label: 'not known' },
          { value: 'nozzle', label: 'nozzle' },
        ],
      }),
      h(TextLine, { id: 'why', label: 'Why?', modelValue: '' }),
      h('button', { id: 'later' }, 'Not now'),
      h('button', { id: 'note', class: 'n-button--primary-type' }, 'Note it'),
    ])
  return mount(asks, { attachTo: document.body })
}
const here = () => {
  const at = document.activeElement
  return at?.getAttribute('name') ?? at?.id ?? at?.tagName
}
const press = async (key: string, more: KeyboardEventInit = {}) => {
  document.activeElement?.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, ...more }))
  await nextTick()
}

describe('Enter', () => {
  test('goes by reading, question and picture to the button', async () => {
    const { view } = bench()
    ;(view.find('#f-one').element as HTMLElement).focus()
    const way = []
    for (let i = 0; i < 4; i += 1) {
      await press('Enter')
      way.push(document.activeElement?.textContent === 'Close' ? 'close' : here())
    }
    expect(way).toEqual(['f-two', 'leaks', 'strings', 'close'])
  })

  test('never lands in what was filled in for the technician, nor in what is answered', async () => {
    const { view } = bench({ from: 'snapshot', answered: 'no' })
    ;(view.find('#f-one').element as HTMLElement).focus()
    await press('Enter')
    expect(here()).toBe('strings')
  })

  test('with Ctrl is the station’s, not the field’s', async () => {
    const { view } = bench()
    ;(view.find('#f-one').element as HTMLElement).focus()
    await press('Enter', { ctrlKey: true })
    expect(here()).toBe('f-one')
  })
})

describe('a key at a question', () => {
  test('gives the answer that begins with it, and only the whole keyboard’s own', async () => {
    const { view, answer } = bench()
    ;(view.find('input[name=leaks]').element as HTMLElement).focus()
    await press('n')
    expect(answer.value).toBe('no')
    await press('Y')
    expect(answer.value).toBe('yes')
    await press('n', { ctrlKey: true })
    expect(answer.value).toBe('yes')
  })

  test('takes a picture by its number', async () => {
    const { view, strings } = bench()
    ;(view.find('input[name=strings]').element as HTMLElement).focus()
    await press('4')
    expect(strings.value).toBe('4')
    await press('7')
    expect(strings.value).toBe('4')
  })

  test('means nothing where two answers begin with it', () => {
    expect(meant('s', ['slow', 'stopped', 'open'])).toBe(-1)
    expect(meant('o', ['slow', 'stopped', 'open'])).toBe(2)
    expect(meant('Shift', ['shifted'])).toBe(-1)
  })
})

describe('Enter in a dialog', () => {
  test('stops at a list with nothing chosen, at a line of words, and at what sends it', async () => {
    dialog('')
    document.getElementById('f-one')?.focus()
    await press('Enter')
    expect(here()).toBe('part')
    document.getElementById('why')?.focus()
    await press('Enter')
    expect(here()).toBe('note')
  })

  test('passes a list that has its answer', async () => {
    dialog('nozzle')
    document.getElementById('f-one')?.focus()
    await press('Enter')
    expect(here()).toBe('why')
  })
})

describe('a line with its button', () => {
  test('Enter is left to the form, which sends it', () => {
    document.body.innerHTML = '<form><input /></form><input data-reading="" />'
    const [line, reading] = document.querySelectorAll('input')
    for (const [field, sends] of [
      [line, true],
      [reading, false],
    ] as const) {
      const enter = new KeyboardEvent('keydown', { key: 'Enter', bubbles: true, cancelable: true })
      field?.addEventListener('keydown', onward, { once: true })
      field?.dispatchEvent(enter)
      expect(enter.defaultPrevented).toBe(!sends)
    }
  })
})
