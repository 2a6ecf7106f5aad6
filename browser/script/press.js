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

/**
 * Gives a listener of clicks, which stops the second click of a double click and says that it did: it is not given to a button that
 * has taken the place of the first, as that of the next row has when a row is removed. Firefox counts the taps of a finger one by one.
 */
export function secondClicks() {
  let first = /** @type {any} */ (null), last = /** @type {any} */ ({})
  return /** @param {any} e */ e => {
    const by = e.target.closest?.("button"), isNear = Math.hypot(e.clientX - last.clientX, e.clientY - last.clientY) < 20
    const isSecond = e.detail > 1 || e.pointerType === "touch" && isNear && e.timeStamp - last.timeStamp < 300
    last = e
    if (by && isSecond && (by !== first || /^leanwicket-(?!add)/.test(by.name))) {
      e.preventDefault()
      e.stopPropagation()
      return true
    }
    first = by
    return false
  }
}
