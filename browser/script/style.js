// What has to look right on every page, whatever its own style: rules of no weight,
// which any rule of the page wins over, but that what is not asked stays hidden.
const style = new CSSStyleSheet()
style.replaceSync(`
  :where(.leanwicket-notice) { position: sticky; bottom: 0; background: Canvas; color: CanvasText; padding: .6rem; border-top: 1px solid }
  :where(.leanwicket-notice p) { margin: 0 }
  :where(.leanwicket-first) { position: absolute; width: 1px; height: 1px; overflow: hidden; clip-path: inset(50%) }
  :where(.leanwicket-dated) { position: relative }
  @media (max-height: 22em) { :where(.leanwicket-notice) { position: static } }
  :where(.leanwicket-choice strong, .leanwicket-choice span) { display: block }
  [data-leanwicket-unasked] { display: none !important }
`)
document.adoptedStyleSheets = [...document.adoptedStyleSheets, style]
