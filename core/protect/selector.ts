/**
 * Selectors: which workloads a rule means. A small tree with a text form (selector-text.ts); evaluation answers not
 * only whether but why.
 *
 * Invariant (selector.test.ts): `explain` and `matches` agree, and reading a written selector gives the same selector.
 */
import { assertNever } from '@/core/units';

/** What a selector can ask of a workload. */
export interface Subject {
  readonly name: string;
  readonly application: string;
  readonly site: string;
  readonly cluster: string;
  readonly datastore: string;
  readonly tier: string;
  readonly labels: Readonly<Record<string, string>>;
}

export const FIELDS = ['application', 'site', 'cluster', 'datastore', 'tier'] as const;
export type Field = (typeof FIELDS)[number];

export type Selector =
  | { readonly kind: 'all' }
  | { readonly kind: 'name'; readonly pattern: string }
  | { readonly kind: 'names'; readonly names: readonly string[] }
  | { readonly kind: 'field'; readonly field: Field; readonly anyOf: readonly string[] }
  | { readonly kind: 'label'; readonly key: string; readonly anyOf: readonly string[]; readonly not: boolean }
  | { readonly kind: 'has-label'; readonly key: string }
  | { readonly kind: 'and'; readonly parts: readonly Selector[] }
  | { readonly kind: 'or'; readonly parts: readonly Selector[] }
  | { readonly kind: 'not'; readonly part: Selector };

const patterns = new Map<string, RegExp>();

/** A name pattern: `*` any letters, `?` one letter, the rest as it stands; the whole name, case told apart. */
export function matchesPattern(pattern: string, name: string): boolean {
  let expression = patterns.get(pattern);
  if (!expression) {
    const escaped = pattern
      .replace(/[.+^${}()|[\]\\]/g, '\\$&')
      .replace(/\*+/g, '.*')
      .replace(/\?/g, '.');
    patterns.set(pattern, (expression = new RegExp(`^${escaped}$`, 's')));
  }
  return expression.test(name);
}

/** Whether a selector means a workload. O(parts). */
export function matches(selector: Selector, subject: Subject): boolean {
  switch (selector.kind) {
    case 'all':
      return true;
    case 'name':
      return matchesPattern(selector.pattern, subject.name);
    case 'names':
      return selector.names.includes(subject.name);
    case 'field':
      return selector.anyOf.includes(subject[selector.field]);
    case 'label': {
      const value = subject.labels[selector.key];
      // A label that is not there is none of the values: "!=" holds for it.
      return (value !== undefined && selector.anyOf.includes(value)) !== selector.not;
    }
    case 'has-label':
      return subject.labels[selector.key] !== undefined;
    case 'and':
      return selector.parts.every((part) => matches(part, subject));
    case 'or':
      return selector.parts.some((part) => matches(part, subject));
    case 'not':
      return !matches(selector.part, subject);
    default:
      return assertNever(selector);
  }
}

/** One question of a selector, with the answer for one workload. */
export interface Explanation {
  readonly question: string;
  /** What the workload has there. */
  readonly found: string;
  readonly holds: boolean;
  readonly parts: readonly Explanation[];
}

/** Why a selector means a workload, or why not: every question with its answer. */
export function explain(selector: Selector, subject: Subject): Explanation {
  const holds = matches(selector, subject);
  const leaf = (question: string, found: string): Explanation => ({ question, found, holds, parts: [] });
  switch (selector.kind) {
    case 'all':
      return leaf('every workload', subject.name);
    case 'name':
      return leaf(`name is like ${selector.pattern}`, subject.name);
    case 'names':
      return leaf(`name is ${selector.names.join(' or ')}`, subject.name);
    case 'field':
      return leaf(`${selector.field} is ${selector.anyOf.join(' or ')}`, subject[selector.field]);
    case 'label':
      return leaf(
        `label ${selector.key} is ${selector.not ? 'not ' : ''}${selector.anyOf.join(' or ')}`,
        subject.labels[selector.key] ?? 'no such label',
      );
    case 'has-label':
      return leaf(`has label ${selector.key}`, subject.labels[selector.key] ?? 'no such label');
    case 'and':
    case 'or': {
      const parts = selector.parts.map((part) => explain(part, subject));
      const held = parts.filter((part) => part.holds).length;
      const question = selector.kind === 'and' ? 'all of these' : 'one of these';
      return { question, found: `${held} of ${parts.length}`, holds, parts };
    }
    case 'not': {
      const part = explain(selector.part, subject);
      return { question: 'not this', found: part.holds ? 'it holds' : 'it does not hold', holds, parts: [part] };
    }
    default:
      return assertNever(selector);
  }
}

/** A question and its answer in one line, as it is kept with an enrolment. */
export interface Answer {
  readonly question: string;
  readonly value: string;
  readonly holds: boolean;
}

/** The questions of an explanation that ask about the workload itself, in order; what is negated says so. */
export function answersOf(explanation: Explanation): Answer[] {
  const { question, found, holds, parts } = explanation;
  if (!parts.length) return [{ question, value: found, holds }];
  if (question !== 'not this') return parts.flatMap(answersOf);
  return parts.flatMap(answersOf).map((a) => ({ ...a, question: `not: ${a.question}`, holds: !a.holds }));
}
