import { useEventListener } from '@vueuse/core'
import { ref, type Ref } from 'vue'

import { afterPress } from './press'

/** Whether one types in a field of `scope`. It stays so until the press that took the focus away is over: what
 *  is laid out by it must not move from under the finger. */
export function useTyping(scope: Ref<HTMLElement | undefined>, fields: string) {
  const typing = ref(false)
  const within = () => document.activeElement?.matches(fields) ?? false
  useEventListener(scope, 'focusin', () => {
    if (within()) typing.value = true
  })
  useEventListener(scope, 'focusout', async () => {
    await new Promise((r) => setTimeout(r))
    await afterPress()
    typing.value = within()
  })
  return typing
}
