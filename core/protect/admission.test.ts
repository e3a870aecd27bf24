/** Source: none; slots as words.md means them, laws by property. */
import fc from 'fast-check';
import { admit, type Candidate } from '@/core/protect/admission';

const run = (id: number, workloadId: number, ...needs: string[]): Candidate => ({ id, workloadId, needs });

test('the urgent first, one run a workload, and who waits is told for what', () => {
  const { admitted, waiting } = admit(
    [run(1, 7, 'ost-m1'), run(2, 7, 'ost-m1'), run(3, 8, 'ost-m1'), run(4, 9, 'mil-m1'), run(5, 10)],
    new Map([
      ['ost-m1', 1],
      ['mil-m1', 4],
    ]),
    new Set([10]),
    100,
  );
  expect(admitted).toEqual([1, 4]);
  expect([...waiting]).toEqual([
    [2, 'another run of the workload'],
    [3, 'a slot of ost-m1'],
    [5, 'another run of the workload'],
  ]);
});

test('what is barred takes no slot from the others', () => {
  const barred = { ...run(1, 7, 'ost-m1'), barredBy: 'the move of its disks' };
  const { admitted, waiting } = admit([barred, run(2, 8, 'ost-m1')], new Map([['ost-m1', 1]]), new Set(), 9);
  expect([admitted, [...waiting]]).toEqual([[2], [[1, 'the move of its disks']]]);
});

test('no more than asked for; what nobody limits is free', () => {
  expect(admit([run(1, 1, 'x'), run(2, 2, 'x'), run(3, 3, 'x')], new Map(), new Set(), 2).admitted).toEqual([1, 2]);
});

test('law: no slot is given twice, no workload runs twice, and who waits could not have started', () => {
  const names = ['a', 'b', 'c'];
  const candidate = fc.record({
    workloadId: fc.integer({ min: 1, max: 6 }),
    needs: fc.uniqueArray(fc.constantFrom(...names)),
  });
  fc.assert(
    fc.property(
      fc.array(candidate, { maxLength: 15 }),
      fc.array(fc.integer({ min: 0, max: 3 }), { minLength: 3, maxLength: 3 }),
      (list, slots) => {
        const candidates = list.map((c, i) => ({ ...c, id: i + 1 }));
        const free = new Map(names.map((name, i) => [name, slots[i] as number]));
        const { admitted, waiting } = admit(candidates, free, new Set(), 100);
        const chosen = candidates.filter((c) => admitted.includes(c.id));
        const used = (name: string) => chosen.filter((c) => c.needs.includes(name)).length;
        for (const name of names) expect(used(name)).toBeLessThanOrEqual(free.get(name) as number);
        expect(new Set(chosen.map((c) => c.workloadId)).size).toBe(chosen.length);
        for (const c of candidates.filter((other) => waiting.has(other.id)))
          expect(
            chosen.some((other) => other.workloadId === c.workloadId) ||
              c.needs.some((name) => used(name) === free.get(name)),
          ).toBe(true);
      },
    ),
  );
});
