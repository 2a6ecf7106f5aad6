// Counts the lines of scripts, and those of them that are no markup: node lines.cjs FILE …, one line of two numbers for each.
const fs = require("fs")
const ts = require("../tools/npm/node_modules/typescript")

const isMarkup = node =>
  ts.isJsxElement(node) || ts.isJsxSelfClosingElement(node) || ts.isJsxFragment(node) ||
  (ts.isTaggedTemplateExpression(node) && node.tag.getText() === "html")

for (const file of process.argv.slice(2)) {
  const text = fs.readFileSync(file, "utf8")
  const rest = [...text]
  const walk = node => {
    if (!isMarkup(node)) return ts.forEachChild(node, walk)
    for (let k = node.getStart(); k < node.end; k++) if (rest[k] !== "\n") rest[k] = " "
  }
  walk(ts.createSourceFile(file, text, ts.ScriptTarget.Latest, true, ts.ScriptKind.JSX))
  const lines = rest.join("").split("\n").filter(line => line.replace(/^\s*\/[/*].*/, "").trim() !== "")
  console.log(text.split("\n").length - 1, lines.length)
}
