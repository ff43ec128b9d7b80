// Reads the console's sources: which messages they say, by way of `t`, `msg`, `count` and `counted`, and which texts stand
// outside of these.
import { readFileSync } from 'node:fs';
import { parse } from 'svelte/compiler';
import { walk } from 'zimmerframe';

interface Node {
  type: string;
  start: number;
  end: number;
  [more: string]: unknown;
}

/** What a file says. */
export interface Texts {
  /** Messages by their English words, with those of many where numbers are said. */
  said: Map<string, string | null>;
  /** `line: text` of what nobody can translate. */
  outside: string[];
}

const SPOKEN = new Set(['title', 'aria-label', 'placeholder', 'alt', 'aria-description', 'label', 'aria-roledescription', 'aria-valuetext']);
/** What is not language: names of keys as they stand on a keyboard, names of programs and formats, examples of what is typed, styles, paths of signs. */
const NOT_LANGUAGE =
  /^(Enter|Escape|Tab|Backspace|Delete|Home|End|PageUp|PageDown|Shift|Control|Space|Insert|AltGraph|Arrow(Up|Down|Left|Right)|Dead|Process|Unidentified|Esc|Del|Page [↓↑]|(Shift|Alt|Ctrl) .*)$|^(Firefox|Edge|Chromium|Safari|Android|Windows|Linux|Yadori|Markdown|PNG|JPEG|Content-Type|Accept|Accept-Language|Authorization|Last-Event-ID|Bearer)\b|^M[\d.]|^(bg|text|btn|flex|grid|min|max)-|Variable|^yadori( |$)|^[a-z]+:|^[#./@:(]|^[a-z]+\/[a-z+*-]+|^bunks|^"half|^booking -|^daily 18|^after (2h|30d)$|^A\. Lindqvist|^(kB|MB|mo)$|^a first clip|^no storage$|^(window|page|text) \/…\/$|^M\d/;
/** Calls whose arguments are no language. */
const NAMES = /querySelector|addEventListener|createElement|getElementById|matches|closest|setAttribute|dispatchEvent|keep$|kept$|keepHere|keptHere|startsWith|endsWith|includes|Format$|\bget$|\bhas$|\bcall|fetch|getContext|setContext/;

const isWords = (text: string): boolean => /[A-Za-z]{2}/.test(text) && !NOT_LANGUAGE.test(text.trim()) && !/[{}]/.test(text) && (/[A-Za-z]{2,} |\s[A-Za-z]{2,}/.test(text) || /^[A-Z][a-z]/.test(text));

/** Reads one file. */
export function textsOf(file: string): Texts {
  const source = readFileSync(file, 'utf8');
  const code = file.endsWith('.svelte') ? source : `<script lang="ts">${source}</script>`;
  const tree = parse(code, { modern: true }) as unknown as { module: { content: Node } | null; instance: { content: Node } | null; fragment: Node };
  const said = new Map<string, string | null>();
  const outside: string[] = [];
  const complain = (node: Node, text: string) => outside.push(`${code.slice(0, node.start).split('\n').length}: ${text.trim()}`);
  const literal = (node: Node | undefined): string | null => (node?.type === 'Literal' && typeof node.value === 'string' ? node.value : null);

  const script = (root: Node): void => {
    walk<Node, null>(root, null, {
      ImportDeclaration() {},
      TSTypeAnnotation() {},
      TSTypeAliasDeclaration() {},
      TSInterfaceDeclaration() {},
      TSTypeParameterInstantiation() {},
      TSAsExpression: (node, { visit }) => void visit(node.expression as Node),
      BinaryExpression(node, { next }) {
        if (!['===', '!==', 'in'].includes(node.operator as string)) next();
      },
      SwitchCase: (node, { visit }) => (node.consequent as Node[]).forEach((one) => visit(one)),
      MemberExpression: (node, { visit }) => void visit(node.object as Node),
      Property: (node, { visit }) => void visit(node.value as Node),
      NewExpression(node, { visit }) {
        if (!/Intl|RegExp|URL|Blob|Event/.test(code.slice((node.callee as Node).start, (node.callee as Node).end))) (node.arguments as Node[]).forEach((one) => visit(one));
      },
      CallExpression(node, { visit }) {
        const callee = node.callee as Node;
        const name = code.slice(callee.start, callee.end);
        const given = node.arguments as Node[];
        visit(callee);
        const texts = given.map(literal);
        if (name === 't' || name === 'msg') {
          if (texts[0] != null) said.set(texts[0], said.get(texts[0]) ?? null);
          given.slice(texts[0] != null ? 1 : 0).forEach((one) => visit(one));
        } else if (/^(words\.)?count$/.test(name) && texts[1] != null) {
          said.set(`{n} ${texts[1]}`, `{n} ${texts[2] ?? `${texts[1]}s`}`);
          visit(given[0]!);
        } else if (name === 'counted' && texts[1] != null) {
          said.set(texts[1], texts[2] ?? null);
          visit(given[0]!);
        } else given.filter((_, at) => texts[at] == null || !NAMES.test(name)).forEach((one) => visit(one));
      },
      Literal(node) {
        const text = literal(node);
        if (text !== null && isWords(text)) complain(node, text);
      },
      TemplateLiteral(node, { visit }) {
        const words = (node.quasis as { value: { cooked: string } }[]).map((one) => one.value.cooked).join('…');
        if (isWords(words) && !/^…|=…|^[#/?&]/.test(words)) complain(node, words);
        (node.expressions as Node[]).forEach((one) => visit(one));
      },
    });
  };

  const drawn = (nodes: Node[], isCode: boolean): void => {
    for (const node of nodes) {
      if (node.type === 'Text') {
        const text = (node.data as string).trim();
        // A full stop alone is one of English.
        if (!isCode && (text === '.' || (/[A-Za-z]{2}/.test(text) && !NOT_LANGUAGE.test(text)))) complain(node, node.data as string);
        continue;
      }
      if (node.type === 'ExpressionTag' || node.type === 'RenderTag' || node.type === 'HtmlTag') script(node.expression as Node);
      if (node.type === 'ConstTag') script(node.declaration as Node);
      for (const attribute of (node.attributes as Node[] | undefined) ?? []) {
        const name = attribute.name as string;
        const value = attribute.value as Node | Node[] | true | undefined;
        const spoken = SPOKEN.has(name) || (node.type === 'Component' && name !== 'class' && isWords(code.slice(attribute.start + name.length + 2, attribute.end - 1)));
        if (Array.isArray(value) && spoken) value.filter((one) => one.type === 'Text' && /[A-Za-z]{2}/.test(one.data as string) && !NOT_LANGUAGE.test(one.data as string)).forEach((one) => complain(one, one.data as string));
        const shown = value && !Array.isArray(value) && value !== true ? (value.expression as Node | undefined) : undefined;
        if (shown && !/^(class|style|id|href|for|type|name)$|^data-/.test(name)) script(shown);
        if (attribute.type === 'AttachTag' || attribute.type === 'SpreadAttribute') script(attribute.expression as Node);
      }
      const inCode = isCode || ['code', 'pre', 'kbd'].includes(node.name as string);
      for (const part of ['test', 'expression', 'key', 'context']) if (/Block$/.test(node.type) && node[part] && part !== 'context') script(node[part] as Node);
      for (const part of ['fragment', 'consequent', 'alternate', 'body', 'fallback', 'pending', 'then', 'catch']) {
        const inside = node[part] as { nodes?: Node[] } | undefined;
        if (inside?.nodes) drawn(inside.nodes, inCode);
      }
    }
  };

  if (tree.module) script(tree.module.content);
  if (tree.instance) script(tree.instance.content);
  drawn((tree.fragment as unknown as { nodes: Node[] }).nodes, false);
  return { said, outside };
}
