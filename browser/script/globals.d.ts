declare global {
  /** Not every browser has it. */
  var navigation: any
}
export {}
