/** Sends the keyboard to the heading: where what was pressed is gone, it goes on from the top of what took its place. */
export function toHeading(within: ParentNode | undefined = document) {
  const heading = within.querySelector<HTMLElement>('h1')
  if (!heading) return
  heading.tabIndex = -1
  heading.focus()
}
