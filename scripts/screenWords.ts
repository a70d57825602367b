/**
 * All words that the screen can show, with the file they stand in: texts and labels of the templates, and sentences and
 * labels in the code. Usage: `npx tsx scripts/screenWords.ts`, which prints them sorted.
 */
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import ts from 'typescript';
import { parse } from 'vue/compiler-sfc';

/** Words on screen, with the file that has them. */
export interface ScreenWords {
  readonly file: string;
  readonly words: string;
}

/** Node of a template, as far as it is read here (types of Vue's compiler are not exported by `vue/compiler-sfc`). */
interface TemplateNode {
  readonly type: number;
  readonly content?: string | TemplateNode;
  readonly name?: string;
  readonly value?: { readonly content: string };
  readonly exp?: { readonly content: string };
  readonly arg?: { readonly content: string };
  readonly props?: readonly TemplateNode[];
  readonly children?: readonly TemplateNode[];
}
const [TEXT, INTERPOLATION, ATTRIBUTE, DIRECTIVE] = [2, 5, 6, 7];

/** Attributes whose values are read by people. */
const SHOWN = /^(label|title|subtitle|text|hint|none|placeholder|words|aria-label|aria-description|no-data-text|alt)$/;

/** Test for text that is meant for people: it has a space between words, or begins with a capital and goes on small. */
const isForPeople = (text: string): boolean =>
  /[A-Za-z’'”.,;:%] [A-Za-z“$‘…\d]/.test(text) || /^[A-Z][a-z]+\.?$/.test(text);

/** Beginnings and signs of literals that only look like sentences: keys, SQL, CSS, and headers. */
const TECHNICAL: readonly RegExp[] = [
  /^(tall-kettle|SELECT|UPDATE|INSERT|DELETE|PRAGMA|alter|create|input\[|\[|\.|#)/,
  /px|[{}<>=]|\brgba?\(|application\/|;\s*$/,
  /^[a-z]+( [a-z-]+)*:\d/,
];
const isTechnical = (text: string): boolean => TECHNICAL.some((sign) => sign.test(text));

/** Literals for people in an expression or file of TypeScript; `…` stands for inserted values. */
function literalsOf(source: string): string[] {
  const found: string[] = [];
  const file = ts.createSourceFile('x.ts', source, ts.ScriptTarget.Latest, true);
  const visit = (node: ts.Node): void => {
    if (ts.isImportDeclaration(node) || ts.isLiteralTypeNode(node)) return;
    if (ts.isStringLiteralLike(node)) found.push(node.text);
    else if (ts.isTemplateExpression(node))
      found.push([node.head.text, ...node.templateSpans.map((span) => span.literal.text)].join('…'));
    ts.forEachChild(node, visit);
  };
  visit(file);
  return found
    .map((text) => text.replace(/\s+/g, ' ').trim())
    .filter((text) => isForPeople(text) && !isTechnical(text));
}

/** Words of a template's node and of all in it. */
function templateWords(node: TemplateNode): string[] {
  const { type, content, name = '', value, exp, arg, props = [], children = [] } = node;
  const inside = [...props, ...children].flatMap(templateWords);
  if (type === TEXT && typeof content === 'string') return [content.replace(/\s+/g, ' ').trim(), ...inside];
  if (type === INTERPOLATION && typeof content === 'object') return [...literalsOf(String(content.content)), ...inside];
  if (type === ATTRIBUTE && value && SHOWN.test(name)) return [value.content, ...inside];
  if (type === DIRECTIVE && exp && (SHOWN.test(arg?.content ?? '') || name === 'hint'))
    return [...literalsOf(`(${exp.content})`), ...inside];
  return inside;
}

/** Words of one file. */
function wordsOf(file: string): string[] {
  const source = readFileSync(file, 'utf8');
  if (!file.endsWith('.vue')) return literalsOf(source);
  const { template, scriptSetup } = parse(source).descriptor;
  const shown = template?.ast ? templateWords(template.ast as unknown as TemplateNode) : [];
  return [...shown, ...(scriptSetup ? literalsOf(scriptSetup.content) : [])];
}

/** All words on screen, each once a file. */
export const screenWords = (): ScreenWords[] =>
  ['app', 'core', 'engine', 'server'].flatMap((room) =>
    readdirSync(room, { recursive: true, encoding: 'utf8' })
      .filter((name) => /\.(ts|vue)$/.test(name) && !/\.test\.ts$|^testing\//.test(name))
      .map((name) => join(room, name))
      .flatMap((file) =>
        [...new Set(wordsOf(file))].filter((words) => /[A-Za-z]{2}/.test(words)).map((words) => ({ file, words })),
      ),
  );

if (import.meta.url === pathToFileURL(process.argv[1] ?? '').href)
  for (const { file, words } of screenWords().sort((a, b) => a.words.localeCompare(b.words)))
    console.log(`${words}\t${file}`);
