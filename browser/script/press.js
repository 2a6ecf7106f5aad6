// A press of the pointer. What is drawn while it lasts can shift a button away from under it, and the click is lost.

/** The longest press during which nothing is drawn, in milliseconds. */
const longest = 1000

/**
 * A press begins at pointerdown, and again at mousedown, which comes long after it where a finger has tapped. It is over when its
 * click has been dispatched. Where no click comes it is over when the button of a mouse is up, and after a second in any case.
 * @param {(target: EventTarget, type: string, f: (event: any) => void, capture?: boolean) => void} on listens
 * @param {() => void} begins
 * @param {() => void} ends
 */
export function presses(on, begins, ends) {
  /** @type {any} */
  let timer
  const end = () => {
    if (timer === undefined) return
    clearTimeout(timer)
    timer = undefined
    ends()
  }
  const begin = () => {
    if (timer === undefined) begins()
    clearTimeout(timer)
    timer = setTimeout(end, longest)
  }
  for (const type of ["pointerdown", "mousedown"]) on(document, type, begin, true)
  on(document, "pointerup", e => { if (e.pointerType === "mouse") setTimeout(end) }, true)
  on(document, "pointercancel", end, true)
  return {
    get pressed() { return timer !== undefined },
    end,
  }
}
