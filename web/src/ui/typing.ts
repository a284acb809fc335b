import { useEventListener, useTimeoutFn } from '@vueuse/core'
import { ref, type Ref } from 'vue'

/* Longer than a finger's tap takes from touch to click. */
const AFTER_MS = 250

/** Whether one types in a field of `scope`. It stays so until the press that took the focus away is over: what
 *  is laid out by it must not move from under the finger. */
export function useTyping(scope: Ref<HTMLElement | undefined>, fields: string) {
  const typing = ref(false)
  let pressed = false
  const over = useTimeoutFn(
    () => {
      if (pressed) over.start()
      else typing.value = false
    },
    AFTER_MS,
    { immediate: false },
  )
  useEventListener(scope, 'focusin', (event) => {
    if (!(event.target instanceof Element) || !event.target.matches(fields)) return
    over.stop()
    typing.value = true
  })
  useEventListener(scope, 'focusout', () => {
    over.start()
  })
  useEventListener(document, 'pointerdown', () => {
    pressed = true
  })
  useEventListener(document, ['pointerup', 'pointercancel'], () => {
    pressed = false
  })
  return typing
}
