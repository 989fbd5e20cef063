// Lists the functions of TypeScript and JavaScript sources as the TypeScript
// compiler's tree has them, to compare package scope with:
//
//   node functions/tree.mjs OUT DIR…
//
// Looks for files below the directories, takes 1,000 of them at random (the
// same ones each time), and writes OUT/seen.json and OUT/unseen.json, half of
// them each: [{ file, functions: [[name, start line, column, end line, column]…] }].
import { createHash } from 'node:crypto'
import { mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs'
import { join, relative } from 'node:path'
import ts from 'typescript'

const [out, ...dirs] = process.argv.slice(2)
const most = Number(process.env.FILES ?? 1000)

/** Every source below a directory, without declarations. */
function* sources(dir) {
  for (const name of readdirSync(dir)) {
    const path = join(dir, name)
    if (statSync(path).isDirectory()) yield* sources(path)
    else if (/(?<!\.d)\.(ts|tsx|mts|cts)$/.test(name)) yield path
  }
}

const ignored = new Set([ts.SyntaxKind.ExportKeyword, ts.SyntaxKind.DefaultKeyword, ts.SyntaxKind.DeclareKeyword])
const wrapper = n => ts.isParenthesizedExpression(n) || ts.isAsExpression(n) || ts.isSatisfiesExpression(n) || ts.isNonNullExpression(n) || ts.isTypeAssertionExpression(n)

/** The name of a member, as far as it is written there. */
function memberName(n) {
  if (ts.isComputedPropertyName(n)) {
    const e = n.expression
    if (ts.isStringLiteralLike(e) || ts.isNumericLiteral(e)) return e.getText().replace(/^['"`]|['"`]$/g, '')
    if (ts.isPropertyAccessExpression(e) && e.expression.getText() === 'Symbol') return `[${e.getText()}]`
    if (ts.isBinaryExpression(e) && ts.isStringLiteral(e.left) && ts.isStringLiteral(e.right)) return e.left.text + e.right.text
    return ''
  }
  return ts.isStringLiteral(n) ? n.text : n.getText()
}

/** What an anonymous function is bound to. */
function bound(n) {
  let p = n.parent, child = n
  while (wrapper(p)) [child, p] = [p, p.parent]
  if (ts.isVariableDeclaration(p) || ts.isParameter(p) || ts.isBindingElement(p)) return p.initializer === child && ts.isIdentifier(p.name) ? p.name.text : ''
  if (ts.isPropertyAssignment(p) || ts.isPropertyDeclaration(p)) return p.initializer === child ? memberName(p.name) : ''
  if (ts.isShorthandPropertyAssignment(p)) return p.name.text
  if (ts.isExportAssignment(p)) return p.isExportEquals ? '' : 'default'
  if (ts.isJsxExpression(p) && ts.isJsxAttribute(p.parent)) return p.parent.name.getText()
  if (ts.isJsxExpression(p) && (ts.isJsxElement(p.parent) || ts.isJsxFragment(p.parent))) return p.parent.children.filter(c => !(ts.isJsxText(c) && c.containsOnlyTriviaWhiteSpaces)).length === 1 ? 'children' : ''
  const signs = [ts.SyntaxKind.EqualsToken, ts.SyntaxKind.QuestionQuestionEqualsToken, ts.SyntaxKind.BarBarEqualsToken, ts.SyntaxKind.AmpersandAmpersandEqualsToken]
  if (ts.isBinaryExpression(p) && p.right === child && signs.includes(p.operatorToken.kind)) {
    let left = p.left
    while (wrapper(left)) left = left.expression
    if (ts.isIdentifier(left)) return left.text
    if (ts.isPropertyAccessExpression(left)) return left.name.text
    if (ts.isElementAccessExpression(left)) {
      const e = left.argumentExpression
      if (ts.isStringLiteralLike(e) || ts.isNumericLiteral(e)) return e.text
      if (ts.isPropertyAccessExpression(e) && e.expression.getText() === 'Symbol') return `[${e.getText()}]`
    }
  }
  return ''
}

function functions(file) {
  const text = readFileSync(file, 'utf8')
  const source = ts.createSourceFile(file, text, ts.ScriptTarget.Latest, true)
  if (source.parseDiagnostics.length) return null
  const list = []
  const visit = n => {
    if (ts.isFunctionLike(n) && n.body) {
      const modifier = n.modifiers?.find(m => !ts.isDecorator(m) && !ignored.has(m.kind))
      let start = (modifier ?? n).getStart()
      if (!modifier && n.modifiers?.length) start = ts.skipTrivia(text, n.modifiers.end)
      const name = ts.isConstructorDeclaration(n) ? 'constructor' : n.name ? memberName(n.name) : ts.isFunctionDeclaration(n) ? 'default' : bound(n)
      const from = source.getLineAndCharacterOfPosition(start), to = source.getLineAndCharacterOfPosition(n.end)
      list.push([name, from.line, from.character, to.line, to.character])
    }
    ts.forEachChild(n, visit)
  }
  visit(source)
  return list
}

const draw = s => createHash('sha256').update(s).digest('hex')
const here = process.cwd()
const files = dirs.flatMap(d => [...sources(d)]).map(f => relative(here, f)).sort((a, b) => (draw(a) < draw(b) ? -1 : 1))
const halves = { seen: [], unseen: [] }
for (const file of files) {
  if (halves.seen.length + halves.unseen.length >= most) break
  const list = functions(file)
  if (list?.length) halves[draw('half ' + file) < '8' ? 'seen' : 'unseen'].push({ file, functions: list })
}
mkdirSync(out, { recursive: true })
for (const [half, list] of Object.entries(halves)) {
  writeFileSync(join(out, `${half}.json`), JSON.stringify(list))
  console.log(`${half}: ${list.length} files, ${list.reduce((n, f) => n + f.functions.length, 0)} functions`)
}
