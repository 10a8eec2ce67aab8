// Checks that every branch over the kinds of conditions, terms and comparisons is exhaustive: `npm run check`. The compiler checks a
// `switch` in a function with a return value, unless it has a `default`. This finds the rest: a `default`, a missing case where nothing is
// returned, chains of `if` over several kinds, and tables that may be incomplete.
import { fileURLToPath } from 'node:url'
import ts from 'typescript'

const root = fileURLToPath(new URL('../', import.meta.url))

/** The unions, by file and type name: the union itself, or the `kind` of its members. */
const KINDS: readonly (readonly [file: string, type: string])[] = [
  ['src/condition/nodes.ts', 'ConditionNode'],
  ['src/condition/nodes.ts', 'TermNode'],
  ['src/condition/nodes.ts', 'OverNode'],
]

function programOf(): ts.Program {
  const found = [`${root}tsconfig.json`, `${root}src/page/tsconfig.json`].filter((file) => ts.sys.fileExists(file))
  const config = ts.getParsedCommandLineOfConfigFile(found[0] as string, {}, { ...ts.sys, onUnRecoverableConfigFileDiagnostic: () => {} })
  if (config === undefined) throw new Error('tsconfig.json cannot be read')
  return ts.createProgram(config.fileNames, { ...config.options, noEmit: true })
}

const program = programOf()
const checker = program.getTypeChecker()

function exported(file: string, name: string): ts.Type {
  const source = program.getSourceFile(root + file)
  const symbol = source && checker.getSymbolAtLocation(source)
  const found = symbol && checker.getExportsOfModule(symbol).find((one) => one.name === name)
  if (found === undefined) throw new Error(`${file} exports no ${name}`)
  return checker.getDeclaredTypeOfSymbol(found)
}

/** The literals of a union type; undefined for any other type. */
function literalsOf(type: ts.Type): ReadonlySet<string> | undefined {
  const parts = type.isUnion() ? type.types : [type]
  return parts.every((part) => part.isStringLiteral()) ? new Set(parts.map((part) => (part as ts.StringLiteralType).value)) : undefined
}

function kindsOf(type: ts.Type): ReadonlySet<string> {
  const kind = type.getProperty('kind')
  const literals = kind && literalsOf(checker.getTypeOfSymbol(kind))
  if (literals === undefined) throw new Error('no union of kinds')
  return literals
}

const COMPARISON = literalsOf(exported('src/condition/operators.ts', 'Comparison')) as ReadonlySet<string>
const UNIONS: readonly ReadonlySet<string>[] = [...KINDS.map(([file, name]) => kindsOf(exported(file, name))), COMPARISON]

/** Whether a type has only literals of one of the unions, and at least two of them. */
function isOfUnion(type: ts.Type): ReadonlySet<string> | undefined {
  const literals = literalsOf(type)
  if (literals === undefined || literals.size < 2) return undefined
  return UNIONS.some((union) => [...literals].every((one) => union.has(one))) ? literals : undefined
}

const faults: string[] = []

function fault(node: ts.Node, text: string): void {
  const source = node.getSourceFile()
  const { line } = source.getLineAndCharacterOfPosition(node.getStart())
  faults.push(`${source.fileName.slice(root.length)}:${line + 1}: ${text}`)
}

function checkSwitch(node: ts.SwitchStatement): void {
  const literals = isOfUnion(checker.getTypeAtLocation(node.expression))
  if (literals === undefined) return
  const cases = new Set<string>()
  for (const clause of node.caseBlock.clauses) {
    if (ts.isDefaultClause(clause)) return fault(clause, 'a default over kinds or comparisons: name each')
    const type = checker.getTypeAtLocation(clause.expression)
    if (type.isStringLiteral()) cases.add(type.value)
  }
  const missing = [...literals].filter((one) => !cases.has(one))
  if (missing.length > 0) fault(node, `no case for ${missing.join(', ')}`)
}

/** What is compared with a kind or comparison by `===` or `!==`, and with which. */
function comparedKind(
  node: ts.Node,
): { readonly subject: string; readonly literal: string; readonly union: ReadonlySet<string> } | undefined {
  if (!ts.isBinaryExpression(node)) return undefined
  const operator = node.operatorToken.kind
  if (operator !== ts.SyntaxKind.EqualsEqualsEqualsToken && operator !== ts.SyntaxKind.ExclamationEqualsEqualsToken) return undefined
  if (!ts.isStringLiteral(node.right)) return undefined
  const declared = declaredType(node.left)
  const union = declared === undefined ? undefined : isOfUnion(declared)
  return union === undefined || union.size === 2 ? undefined : { subject: node.left.getText(), literal: node.right.text, union }
}

/** The declared type, before narrowing. */
function declaredType(node: ts.Expression): ts.Type | undefined {
  if (ts.isPropertyAccessExpression(node)) {
    const owner = declaredType(node.expression)
    const property = owner?.getProperty(node.name.text)
    return property && checker.getTypeOfSymbol(property)
  }
  const symbol = checker.getSymbolAtLocation(node)
  return symbol === undefined ? undefined : checker.getTypeOfSymbol(symbol)
}

/** A function that distinguishes more than this many kinds by `if` decides over all of them. */
const MOST_BY_IF = 1

function checkFunction(node: ts.FunctionLikeDeclaration): void {
  const told = new Map<string, Map<string, ts.Node>>()
  const visit = (part: ts.Node): void => {
    if (part !== node && ts.isFunctionLike(part)) return
    const found = comparedKind(part)
    if (found !== undefined) {
      const there = told.get(found.subject) ?? new Map<string, ts.Node>()
      told.set(found.subject, there.set(found.literal, part))
    }
    ts.forEachChild(part, visit)
  }
  if (node.body !== undefined) visit(node.body)
  for (const [subject, literals] of told) {
    if (literals.size > MOST_BY_IF) {
      const [[, first]] = [...literals] as [[string, ts.Node]]
      fault(
        first,
        `${subject} is told apart by "if" as ${[...literals.keys()].join(', ')}: say it by a switch with every case, or ask the table`,
      )
    }
  }
}

function checkTable(node: ts.TypeNode): void {
  if (ts.isTypeReferenceNode(node) && node.typeName.getText() === 'Partial' && node.typeArguments?.[0] !== undefined) {
    const names = checker
      .getTypeAtLocation(node.typeArguments[0])
      .getProperties()
      .map(({ name }) => name)
    if (names.length > 1 && UNIONS.some((union) => names.every((name) => union.has(name)))) fault(node, 'a table that need not be whole')
  }
  if (ts.isMappedTypeNode(node) && node.questionToken !== undefined) {
    const over = node.typeParameter.constraint && isOfUnion(checker.getTypeAtLocation(node.typeParameter.constraint))
    if (over !== undefined) fault(node, 'a table that need not be whole')
  }
}

for (const source of program.getSourceFiles()) {
  if (source.isDeclarationFile || !source.fileName.startsWith(`${root}src/`)) continue
  const visit = (node: ts.Node): void => {
    if (ts.isSwitchStatement(node)) checkSwitch(node)
    if (ts.isFunctionLike(node) && 'body' in node) checkFunction(node as ts.FunctionLikeDeclaration)
    if (ts.isTypeNode(node)) checkTable(node)
    ts.forEachChild(node, visit)
  }
  visit(source)
}

if (faults.length > 0) {
  console.error(faults.sort().join('\n'))
  console.error(`\n${faults.length} ${faults.length === 1 ? 'branch is' : 'branches are'} not exhaustive`)
  process.exitCode = 1
}
