import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import ts from 'typescript'
import { describe, expect, test } from 'vitest'
import { problems, problemTexts } from '../src/problems.ts'
import { de } from '../src/wording/de.ts'
import { en } from '../src/wording/en.ts'
import { enLetters } from '../src/wording/en-letters.ts'
import { enLists } from '../src/wording/en-lists.ts'
import { enSmtp } from '../src/wording/en-smtp.ts'
import { nb } from '../src/wording/nb.ts'
import { pl } from '../src/wording/pl.ts'
import { enDigests } from '../../web/src/wording/en-digests.ts'
import { enMailboxes } from '../../web/src/wording/en-mailboxes.ts'
import { enRecord } from '../../web/src/wording/en-record.ts'
import { enSenders } from '../../web/src/wording/en-senders.ts'
import { enWhereabouts } from '../../web/src/wording/en-whereabouts.ts'
import { en as enScreens } from '../../web/src/wording/en.ts'
import { own as ownDe } from '../../web/src/wording/own/de.ts'
import { own as ownEn } from '../../web/src/wording/own/en.ts'
import { own as ownNb } from '../../web/src/wording/own/nb.ts'
import { own as ownPl } from '../../web/src/wording/own/pl.ts'
import { root } from '../../scripts/prepare.mjs'

const files = {
  en: {
    en,
    enLetters,
    enLists,
    enDigests,
    enMailboxes,
    enRecord,
    enSenders,
    enWhereabouts,
    enScreens,
    ownEn,
    problemTexts,
  },
  de: { de, ownDe },
  nb: { nb, ownNb },
  pl: { pl, ownPl },
}

type Text = readonly [key: string, text: string]
const textsOf = (part: object, path = ''): Text[] =>
  Object.entries(part).flatMap(([key, value]) =>
    typeof value === 'string'
      ? [[`${path}${key}`, value] as const]
      : textsOf(value as object, `${path}${key}.`),
  )

describe.each(Object.entries(files))('texts in %s', (language, parts) => {
  const texts = textsOf(parts)
  test('there are some', () => expect(texts.length).toBeGreaterThan(200))

  test('have curly quotes and apostrophes, and no dash between blanks', () => {
    expect(texts.filter(([, text]) => /['"]| - /.test(text))).toEqual([])
  })

  test('have all plural forms where they have one, and count what they count', () => {
    const forms = new Intl.PluralRules(language).resolvedOptions().pluralCategories
    const keys = new Set(texts.map(([key]) => key))
    const plural = texts
      .filter(([key]) => key.endsWith('_other'))
      .map(([key]) => key.slice(0, -'_other'.length))
    expect(
      plural.flatMap(key => forms.filter(form => !keys.has(`${key}_${form}`)).map(form => `${key}_${form}`)),
    ).toEqual([])
  })

  test('name their blanks in pairs of braces or brackets', () => {
    const rest = (text: string) => text.replace(/\{\{\w+\}\}|\[\[\w+\]\]/g, '')
    expect(texts.filter(([, text]) => /[{}]|\[\[|\]\]/.test(rest(text)))).toEqual([])
  })
})

test('no SMTP answer has a letter that needs more than ASCII', () => {
  expect(textsOf(enSmtp).filter(([, text]) => /[^\x20-\x7e]/.test(text))).toEqual([])
})

test('every special case of a problem has its sentence', () => {
  for (const [code, { text, ...rest }] of Object.entries(problems))
    for (const special of ['', ...Object.keys('when' in rest ? rest.when : {})])
      expect(problemTexts[special === '' ? code : `${code}_${special}`]).toBe(
        special === '' ? text : ('when' in rest ? (rest.when as Record<string, string>) : {})[special],
      )
})

/** What a person would see or hear: text between tags, and attributes that are read out or shown. */
const spoken = new Set(['aria-label', 'title', 'alt', 'placeholder', 'aria-description', 'label'])
/** Names and samples that are the same in every language. */
const same = /^(Pendro|Esc|\p{Lu}|[\p{P}\p{S}\d\s…]*|\S+\.example|anna@x\.example, Anna Berg)$/u

function foundIn(path: string): string[] {
  const source = ts.createSourceFile(
    path,
    readFileSync(path, 'utf8'),
    ts.ScriptTarget.Latest,
    true,
    ts.ScriptKind.TSX,
  )
  const found: string[] = []
  const look = (node: ts.Node) => {
    if (ts.isJsxText(node) && !same.test(node.text.trim())) found.push(node.text.trim())
    if (
      ts.isJsxAttribute(node) &&
      spoken.has(node.name.getText()) &&
      node.initializer &&
      ts.isStringLiteral(node.initializer) &&
      !same.test(node.initializer.text)
    )
      found.push(`${node.name.getText()}="${node.initializer.text}"`)
    if (
      ts.isJsxExpression(node) &&
      node.expression &&
      ts.isStringLiteralLike(node.expression) &&
      ts.isJsxElement(node.parent) &&
      !same.test(node.expression.text.trim())
    )
      found.push(node.expression.text)
    ts.forEachChild(node, look)
  }
  look(source)
  return found
}

test('no text of a screen is outside the wording files', () => {
  const folder = join(root, 'web/src')
  const screens = readdirSync(folder, { recursive: true, encoding: 'utf8' }).filter(name =>
    name.endsWith('.tsx'),
  )
  expect(screens.length).toBeGreaterThan(40)
  expect(screens.flatMap(name => foundIn(join(folder, name)).map(text => `${name}: ${text}`))).toEqual([])
})

test('no sentence is made in core, server or contract', () => {
  const outside = /^(Error|RangeError|TypeError)$/
  const found: string[] = []
  for (const part of ['core/src', 'server/src', 'contract/src'])
    for (const name of readdirSync(join(root, part), { recursive: true, encoding: 'utf8' })) {
      if (
        !name.endsWith('.ts') ||
        /wording|migrations|problems\.ts|openapi|-endpoints\.ts|settings\.ts|log\.ts|shapes\.ts/.test(name)
      )
        continue
      const path = join(root, part, name)
      const source = ts.createSourceFile(path, readFileSync(path, 'utf8'), ts.ScriptTarget.Latest, true)
      const look = (node: ts.Node) => {
        // Mistakes of programmers are theirs to read.
        if (ts.isNewExpression(node) && outside.test(node.expression.getText())) return
        const text = ts.isStringLiteralLike(node)
          ? node.text
          : ts.isTemplateExpression(node)
            ? node.head.text + node.templateSpans.map(span => `x${span.literal.text}`).join('')
            : ''
        // A sentence: a capital or a quotation, several words, an end.
        if (
          /^[\p{Lu}“][^\n]*\p{L} \p{L}+ [^\n]*[.?]$/u.test(text) &&
          !/^(SELECT|UPDATE|DELETE|INSERT|REPLACE)\b/.test(text)
        )
          found.push(`${part}/${name}: ${text}`)
        ts.forEachChild(node, look)
      }
      look(source)
    }
  expect(found).toEqual([])
})
