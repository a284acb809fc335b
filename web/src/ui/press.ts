/* Whether a finger or a button is down, and when the last one went up: from there until the click that follows, what is
   laid out must not move from under it. */
let pressed = false
let wentUp = -Infinity
/* A touch's click comes a moment after the finger is up. */
const CLICK_MS = 100

document.addEventListener('pointerdown', () => (pressed = true), true)
for (const end of ['pointerup', 'pointercancel'])
  document.addEventListener(
    end,
    () => {
      pressed = false
      wentUp = performance.now()
    },
    true,
  )

/** Waits until a press under way, and the click it ends in, are over. */
export async function afterPress(): Promise<void> {
  while (pressed || performance.now() - wentUp < CLICK_MS) await new Promise((r) => setTimeout(r, 30))
}
