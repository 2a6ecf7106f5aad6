// What wasm_exec.js, the toolchain's own script, and the core add to the window.
declare global {
  var Go: new () => { importObject: WebAssembly.Imports; run(instance: WebAssembly.Instance): Promise<void> }
  var leanwicketCore: import("./core.js").Core
  /** Not every browser has it. */
  var navigation: any
}
export {}
