import { conditionsOf } from '@/engine/conditions';

test('silent sites, links down and slow; full rate is no condition', () => {
  const link = (id: number, factor: number) => ({ id, name: `line ${id}`, factor, throttles: [] });
  const status = {
    sitesUp: ['Ostgate'],
    links: [link(1, 1), link(2, 0.35), link(3, 0)],
    repositories: [],
    datastores: [],
  };
  const trouble = { defaultPasswords: ['Ostgate'], wrongClocks: ['Norde'], movingDisks: ['pay-db-01'] };
  expect(conditionsOf({ ...status, ...trouble }, ['Ostgate', 'Norde'])).toEqual([
    { subject: 'Norde', state: 'no-answer', factor: null },
    { subject: 'line 2', state: 'slow', factor: 0.35 },
    { subject: 'line 3', state: 'down', factor: 0 },
    { subject: 'Ostgate', state: 'default-password', factor: null },
    { subject: 'Norde', state: 'wrong-clock', factor: null },
    { subject: 'pay-db-01', state: 'disks-moving', factor: null },
  ]);
});
