/**
 * The text form of selectors, made to be read aloud:
 *
 *   tier is 1 or 2 and label backup is gold and not name like "tst-*"
 *   site is "Hollin Point" or (application is Payroll and has label keep)
 *
 * `not` binds tightest, then `and`, then `or`; parentheses group. `is` and `in` take one or more values, divided by a
 * comma. Words with blanks stand in double quotes. A mistake is told with its position and what was expected.
 */
import { FIELDS, type Field, type Selector } from '@/core/protect/selector';
import { assertNever } from '@/core/units';

export class BadSelector extends Error {
  readonly code = 'bad-selector';
  override readonly name = 'BadSelector';
  constructor(
    /** Letters before the mistake. */
    readonly position: number,
    message: string,
  ) {
    super(`At letter ${position + 1}: ${message}`);
  }
}

interface Token {
  readonly text: string;
  readonly at: number;
  readonly quoted: boolean;
}
const KEYWORDS = new Set(['and', 'or', 'not', 'is', 'in', 'like', 'has', 'label', 'name', 'all', ...FIELDS]);
/** Parentheses within each other, at most. */
const DEEPEST = 50;

/** Reads a selector; throws BadSelector. O(length). */
export function parseSelector(text: string): Selector {
  const reader = new Reader(text, tokensOf(text));
  const selector = reader.either(0);
  reader.end();
  return selector;
}

function tokensOf(text: string): Token[] {
  const tokens: Token[] = [];
  const pattern = /\s+|"((?:[^"\\]|\\.)*)"|!=|[(),=]|[^\s(),="!]+|(.)/gsu;
  for (const found of text.matchAll(pattern)) {
    const at = found.index;
    if (found[2] === '"') throw new BadSelector(at, 'this quotation mark is not closed.');
    if (found[2] !== undefined) throw new BadSelector(at, `"${found[2]}" means nothing here.`);
    if (/^\s/.test(found[0])) continue;
    const quoted = found[1] !== undefined;
    tokens.push({ text: quoted ? (found[1] as string).replace(/\\(.)/gs, '$1') : found[0], at, quoted });
  }
  return tokens;
}

class Reader {
  private next = 0;
  constructor(
    private readonly text: string,
    private readonly tokens: readonly Token[],
  ) {}

  either(depth: number): Selector {
    const parts = [this.both(depth)];
    while (this.takes('or')) parts.push(this.both(depth));
    return parts.length === 1 ? (parts[0] as Selector) : { kind: 'or', parts };
  }

  end(): void {
    const token = this.tokens[this.next];
    if (token) throw new BadSelector(token.at, `"${token.text}" is too much; expected "and", "or" or the end.`);
  }

  private both(depth: number): Selector {
    const parts = [this.one(depth)];
    while (this.takes('and')) parts.push(this.one(depth));
    return parts.length === 1 ? (parts[0] as Selector) : { kind: 'and', parts };
  }

  private one(depth: number): Selector {
    if (depth > DEEPEST) throw new BadSelector(this.at, `more than ${DEEPEST} levels.`);
    if (this.takes('not')) return { kind: 'not', part: this.one(depth + 1) };
    if (this.takes('(')) {
      const inner = this.either(depth + 1);
      this.must(')');
      return inner;
    }
    if (this.takes('all')) return { kind: 'all' };
    if (this.takes('name')) return this.name();
    if (this.takes('has')) {
      this.must('label');
      return { kind: 'has-label', key: this.word('the key of a label') };
    }
    if (this.takes('label')) return this.label();
    const field = FIELDS.find((name) => this.takes(name));
    if (field) return this.field(field);
    throw this.wrong(`expected ${['name', 'label', 'has label', ...FIELDS, 'all', 'not', '('].join(', ')}`);
  }

  private name(): Selector {
    if (this.takes('like')) return { kind: 'name', pattern: this.word('a pattern such as tkt-*') };
    if (this.takes('is') || this.takes('in') || this.takes('=')) return { kind: 'names', names: this.words() };
    throw this.wrong('expected "is" or "like"');
  }

  private label(): Selector {
    const key = this.word('the key of a label');
    if (this.takes('!=')) return { kind: 'label', key, anyOf: [this.word('a value')], not: true };
    if (!this.takes('is') && !this.takes('in') && !this.takes('='))
      throw this.wrong('expected "is", "=", "!=" or "in"');
    const not = this.takes('not');
    return { kind: 'label', key, anyOf: this.words(), not };
  }

  private field(field: Field): Selector {
    if (!this.takes('is') && !this.takes('in') && !this.takes('=')) throw this.wrong('expected "is", "=" or "in"');
    return { kind: 'field', field, anyOf: this.words() };
  }

  private words(): string[] {
    const values = [this.word('a value')];
    while (this.takes(',')) values.push(this.word('a value'));
    return values;
  }

  private word(what: string): string {
    const token = this.tokens[this.next];
    if (!token || (!token.quoted && (KEYWORDS.has(token.text) || /^(?:[(),=]|!=)$/.test(token.text))))
      throw this.wrong(`expected ${what}`);
    if (!token.text) throw new BadSelector(token.at, 'a value is empty.');
    this.next++;
    return token.text;
  }

  private takes(text: string): boolean {
    const token = this.tokens[this.next];
    if (!token || token.quoted || token.text !== text) return false;
    this.next++;
    return true;
  }

  private must(text: string): void {
    if (!this.takes(text)) throw this.wrong(`expected "${text}"`);
  }

  private get at(): number {
    return this.tokens[this.next]?.at ?? this.text.length;
  }

  private wrong(expected: string): BadSelector {
    const token = this.tokens[this.next];
    return new BadSelector(this.at, token ? `${expected}, not "${token.text}".` : `${expected}, but it ends here.`);
  }
}

/** Writes a selector; parseSelector reads the same one back. */
export function formatSelector(selector: Selector): string {
  switch (selector.kind) {
    case 'all':
      return 'all';
    case 'name':
      return `name like ${word(selector.pattern)}`;
    case 'names':
      return `name is ${selector.names.map(word).join(', ')}`;
    case 'field':
      return `${selector.field} is ${selector.anyOf.map(word).join(', ')}`;
    case 'label':
      return `label ${word(selector.key)} is ${selector.not ? 'not ' : ''}${selector.anyOf.map(word).join(', ')}`;
    case 'has-label':
      return `has label ${word(selector.key)}`;
    case 'and':
      return selector.parts.map((part) => grouped(part, part.kind === 'or' || part.kind === 'and')).join(' and ');
    case 'or':
      return selector.parts.map((part) => grouped(part, part.kind === 'or')).join(' or ');
    case 'not':
      return `not ${grouped(selector.part, selector.part.kind === 'and' || selector.part.kind === 'or')}`;
    default:
      return assertNever(selector);
  }
}

const grouped = (selector: Selector, brackets: boolean): string =>
  brackets ? `(${formatSelector(selector)})` : formatSelector(selector);

function word(text: string): string {
  return /^[^\s(),="!\\]+$/u.test(text) && !KEYWORDS.has(text) ? text : `"${text.replace(/["\\]/g, '\\$&')}"`;
}
