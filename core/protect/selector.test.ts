import fc from 'fast-check';
import {
  answersOf,
  explain,
  matches,
  matchesPattern,
  type Explanation,
  type Selector,
  type Subject,
} from '@/core/protect/selector';
import { BadSelector, formatSelector, parseSelector } from '@/core/protect/selector-text';

const subject = (over: Partial<Subject> = {}): Subject => ({
  name: 'tkt-db-01',
  application: 'Ticketing',
  site: 'Ostgate',
  cluster: 'ost-c1',
  datastore: 'ost-s1',
  tier: '1',
  labels: { role: 'db', keep: 'yes' },
  ...over,
});

test.each([
  ['all', true],
  ['tier is 1, 2', true],
  ['tier = 2', false],
  ['site is "Hollin Point" or application in Ticketing, Payroll', true],
  ['name like tkt-*', true],
  ['name like "tkt-??-0?"', true],
  ['name like db', false],
  ['name is tkt-db-01, tkt-db-02', true],
  ['has label keep', true],
  ['has label gone', false],
  ['label role is db, mq', true],
  ['label role is not db', false],
  ['label role != mq', true],
  ['label gone != x', true],
  ['label gone is x', false],
  ['not tier is 1', false],
  ['not (tier is 2 or tier is 3) and cluster is ost-c1', true],
  ['tier is 2 or tier is 1 and datastore is ost-s2', false],
  ['(tier is 2 or tier is 1) and datastore is ost-s1', true],
])('"%s" means it: %p', (text, expected) => expect(matches(parseSelector(text), subject())).toBe(expected));

test('patterns take the whole name, and letters that mean something elsewhere as they stand', () => {
  expect(matchesPattern('a.c', 'abc')).toBe(false);
  expect(matchesPattern('a.c', 'a.c')).toBe(true);
  expect(matchesPattern('*', '')).toBe(true);
  expect(matchesPattern('a?c', 'ac')).toBe(false);
  expect(matchesPattern('[x]+*', '[x]+(y)')).toBe(true);
});

test.each<[string, number, RegExp]>([
  ['', 0, /expected name, label/],
  ['tier', 4, /expected "is", "=" or "in", but it ends here/],
  ['tier is', 7, /expected a value/],
  ['tier is 1 and', 13, /expected name/],
  ['tier is 1 2', 10, /too much/],
  ['(tier is 1', 10, /expected "\)"/],
  ['name is "tkt', 8, /not closed/],
  ['name tkt', 5, /"is" or "like"/],
  ['label and is x', 6, /key of a label/],
  ['label role ~ x', 11, /expected "is", "=", "!=" or "in", not "~"/],
  ['tier is 1!', 9, /means nothing/],
  ['name is ""', 8, /empty/],
  ['wave is 1', 0, /not "wave"/],
  [`${'('.repeat(60)}all${')'.repeat(60)}`, 51, /levels/],
])('"%s" is refused at letter %d', (text, position, message) => {
  let error: unknown;
  try {
    parseSelector(text);
  } catch (caught) {
    error = caught;
  }
  expect(error).toBeInstanceOf(BadSelector);
  expect((error as BadSelector).position).toBe(position);
  expect((error as BadSelector).message).toMatch(message);
});

const value = fc.oneof(
  fc.constantFrom('1', 'db', 'Ostgate', 'and', 'Hollin Point', 'a"b\\c', 'tkt-*'),
  fc.string({ minLength: 1, maxLength: 6 }),
);
const values = fc.array(value, { minLength: 1, maxLength: 3 });
const { selector } = fc.letrec<{ selector: Selector }>((tie) => ({
  selector: fc.oneof(
    { maxDepth: 3, withCrossShrink: true },
    fc.constant<Selector>({ kind: 'all' }),
    value.map((pattern): Selector => ({ kind: 'name', pattern })),
    values.map((names): Selector => ({ kind: 'names', names })),
    fc
      .tuple(fc.constantFrom('site' as const, 'tier' as const, 'cluster' as const), values)
      .map(([field, anyOf]): Selector => ({ kind: 'field', field, anyOf })),
    fc.tuple(value, values, fc.boolean()).map(([key, anyOf, not]): Selector => ({ kind: 'label', key, anyOf, not })),
    value.map((key): Selector => ({ kind: 'has-label', key })),
    fc
      .tuple(fc.constantFrom('and' as const, 'or' as const), fc.array(tie('selector'), { minLength: 2, maxLength: 3 }))
      .map(([kind, parts]): Selector => ({ kind, parts })),
    tie('selector').map((part): Selector => ({ kind: 'not', part })),
  ),
}));

test('law: a written selector reads back the same', () => {
  fc.assert(
    fc.property(selector, (s) => {
      expect(parseSelector(formatSelector(s))).toEqual(s);
    }),
    { numRuns: 300 },
  );
});

test('law: the explanation and the answer agree, question by question', () => {
  const agrees = (e: Explanation): boolean =>
    e.parts.every(agrees) && (e.question !== 'all of these' || e.holds === e.parts.every((p) => p.holds));
  fc.assert(
    fc.property(selector, fc.constantFrom('1', '2'), fc.dictionary(value, value, { maxKeys: 2 }), (s, tier, labels) => {
      const w = subject({ tier, labels });
      const why = explain(s, w);
      expect(why.holds).toBe(matches(s, w));
      expect(agrees(why)).toBe(true);
      expect(explain({ kind: 'not', part: s }, w).holds).toBe(!why.holds);
    }),
    { numRuns: 200 },
  );
});

test('an explanation says what was asked and what was found', () => {
  const why = explain(parseSelector('tier is 1 and not label role is web, api and has label gone'), subject());
  expect(why).toMatchObject({ question: 'all of these', found: '2 of 3', holds: false });
  expect(why.parts.map((p) => [p.question, p.found, p.holds])).toEqual([
    ['tier is 1', '1', true],
    ['not this', 'it does not hold', true],
    ['has label gone', 'no such label', false],
  ]);
  expect(explain({ kind: 'all' }, subject()).question).toBe('every workload');
  expect(explain(parseSelector('name like x or name is y'), subject()).parts.map((p) => p.question)).toEqual([
    'name is like x',
    'name is y',
  ]);
});

test('an explanation in lines: what is negated says so', () => {
  const why = explain(parseSelector('tier is 1 and not name is web-01, web-02'), subject());
  expect(answersOf(why)).toEqual([
    { question: 'tier is 1', value: '1', holds: true },
    { question: 'not: name is web-01 or web-02', value: 'tkt-db-01', holds: true },
  ]);
});
