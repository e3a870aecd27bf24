import { diskGaps, enrol, findings, type RuleFact } from '@/core/protect/enrolment';
import type { Subject } from '@/core/protect/selector';
import { parseSelector } from '@/core/protect/selector-text';

const workload = (name: string, tier: string, site = 'Ostgate'): Subject => ({
  name,
  tier,
  site,
  application: 'a',
  cluster: 'c',
  datastore: 'd',
  labels: {},
});
const rule = (id: number, policyId: number, rank: number, text: string): RuleFact => ({
  id,
  policyId,
  rank,
  selector: parseSelector(text),
});
const fleet = [workload('one', '1'), workload('two', '2'), workload('three', '3', 'Norde'), workload('four', '4')];

test('the lowest rank takes a workload, and the others are named', () => {
  const rules = [rule(1, 10, 2, 'all'), rule(2, 20, 1, 'tier is 1, 2'), rule(3, 20, 1, 'name is one')];
  expect(enrol(fleet, rules)).toEqual([
    { kind: 'enrolled', ruleId: 2, policyId: 20, others: [1] },
    { kind: 'enrolled', ruleId: 2, policyId: 20, others: [1] },
    { kind: 'enrolled', ruleId: 1, policyId: 10, others: [] },
    { kind: 'enrolled', ruleId: 1, policyId: 10, others: [] },
  ]);
});
test('equal rank for different policies is a conflict; the order in which rules stand does not matter', () => {
  const rules = [rule(1, 10, 1, 'tier is 1'), rule(2, 20, 1, 'name like o*')];
  const conflict = { kind: 'conflict', ruleIds: [1, 2], policyIds: [10, 20] };
  expect(enrol([fleet[0] as Subject], rules)).toEqual([conflict]);
  expect(enrol([fleet[0] as Subject], rules.toReversed())).toEqual([conflict]);
});
test('who is enrolled nowhere, twice or in conflict is found, and rules that take nobody', () => {
  const rules = [
    rule(1, 10, 1, 'tier is 1'),
    rule(2, 20, 1, 'name is one'),
    rule(3, 30, 2, 'tier is 2'),
    rule(4, 40, 3, 'name is two'),
    rule(5, 50, 3, 'site is Ostgate and tier is 9'),
  ];
  expect(findings(fleet, rules)).toEqual({
    nowhere: ['three', 'four'],
    conflicts: ['one'],
    doubles: ['two'],
    idleRules: [4, 5],
  });
});
test('a disk in no lane is named with what that means', () => {
  const disks = [
    { id: 1, role: 'system' as const },
    { id: 2, role: 'data' as const },
    { id: 3, role: 'scratch' as const },
  ];
  const lanes = [
    { excludeRoles: ['scratch', 'system', 'data'] as const },
    { excludeRoles: ['scratch', 'data'] as const },
  ];
  expect(diskGaps(disks, lanes)).toEqual([
    { diskId: 2, role: 'data', effect: 'lost' },
    { diskId: 3, role: 'scratch', effect: 'fine' },
  ]);
  expect(diskGaps(disks, []).map((gap) => gap.effect)).toEqual(['does-not-boot', 'lost', 'fine']);
});
