// Lists every text that a user or developer may read, with its position: error messages, help, output and the texts of pages. For reviewing
// all of them at once: `npm run messages`, or `npm run messages -- src/store` for a part.
import { relative } from 'node:path'
import { fileURLToPath } from 'node:url'
import ts from 'typescript'
import { filesBelow, root } from './files.js'

const places = process.argv.slice(2)
const readable = /\p{L}[\p{L}'’]*[,;:]? \p{L}/u

/** The text of a literal, a template (with what it inserts in braces) or a JSX text. */
function textOf(node: ts.Node): string | undefined {
  if (ts.isStringLiteral(node) || ts.isNoSubstitutionTemplateLiteral(node)) return node.text
  if (ts.isJsxText(node)) return node.text
  if (!ts.isTemplateExpression(node)) return undefined
  return node.head.text + node.templateSpans.map(({ expression, literal }) => `{${expression.getText()}}${literal.text}`).join('')
}

function* textsOf(node: ts.Node): Generator<readonly [ts.Node, string]> {
  const isType = ts.isTypeNode(node) || ts.isImportDeclaration(node) || ts.isExportDeclaration(node)
  if (isType) return
  const text = textOf(node)
  if (text !== undefined && readable.test(text.replace(/\{[^{}]*\}/g, 'x'))) yield [node, text.trim().replace(/\s*\n\s*/g, ' ⏎ ')]
  for (const child of node.getChildren()) yield* textsOf(child)
}

for (const place of places.length > 0 ? places : ['src', 'cli', 'examples'])
  for (const file of filesBelow(fileURLToPath(new URL(place, root)))) {
    if (!/\.tsx?$/.test(file)) continue
    const source = ts.createSourceFile(file, ts.sys.readFile(file) ?? '', ts.ScriptTarget.Latest, true)
    for (const [node, text] of textsOf(source))
      console.log(`${relative(fileURLToPath(root), file)}:${source.getLineAndCharacterOfPosition(node.getStart()).line + 1}: ${text}`)
  }
