// Parses files by the grammar that their suffix names, and says of each where it is broken, as JSON.
const fs = require('fs')
const path = require('path')
const ui = require('module').createRequire(path.join(__dirname, '../../../ui/package.json'))
const { Parser, Language } = ui('web-tree-sitter')

const first = (node) => {
  if (node.type === 'ERROR' || node.isMissing) return node
  for (const child of node.children) if (child.hasError || child.isMissing) return first(child)
  return node
}

;(async () => {
  await Parser.init()
  const known = {}
  const wrong = {}
  for (const file of process.argv.slice(2)) {
    const name = path.extname(file).slice(1)
    known[name] ??= await Language.load(ui.resolve(`tree-sitter-wasms/out/tree-sitter-${name}.wasm`))
    const parser = new Parser()
    parser.setLanguage(known[name])
    const { rootNode } = parser.parse(fs.readFileSync(file, 'utf8'))
    if (rootNode.hasError) {
      const at = first(rootNode)
      wrong[file] = `line ${at.startPosition.row + 1}: ${at.text.slice(0, 80)}`
    }
  }
  console.log(JSON.stringify(wrong))
})()
