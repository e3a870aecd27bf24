import { appliances, journal, lineForBuffer, movers, repository, stagingBuffer } from '@/core/size/sizing';

const TB = 1e12;

// Each follows from the formula that the answer itself states.
test('movers: 10 TB in 8 h at 100 MB/s a stream and 4 streams need 1 mover, in 2 h 4', () => {
  const inputs = {
    'changed bytes in the window': 10 * TB,
    'seconds of the window': 8 * 3600,
    'bytes a second of a stream': 100e6,
    'streams of a mover': 4,
  };
  expect(movers(inputs)).toMatchObject({ value: 1, unit: 'pieces' });
  expect(movers({ ...inputs, 'seconds of the window': 7200 }).value).toBe(4);
  expect(movers({ ...inputs, 'changed bytes in the window': 11.52 * TB }).value).toBe(1);
  expect(movers({ ...inputs, 'changed bytes in the window': 11.53 * TB }).value).toBe(2);
});
test('appliances: whichever asks for more is named', () => {
  const inputs = {
    'protected machines': 450,
    'machines an appliance takes': 200,
    'bytes written a second': 50e6,
    'bytes a second an appliance takes': 100e6,
  };
  expect(appliances(inputs)).toMatchObject({ value: 3, dominant: 'protected machines' });
  expect(appliances({ ...inputs, 'bytes written a second': 500e6 })).toMatchObject({
    value: 5,
    dominant: 'bytes written a second',
  });
});
test('journal: 5 MB/s for a day, half left, a fifth to spare', () => {
  const answer = journal({
    'bytes written a second': 5e6,
    'seconds to go back': 86_400,
    'share left after compression': 0.5,
    'share of room to spare': 0.2,
  });
  expect(answer.value).toBeCloseTo(259.2e9, 0);
  expect(answer.formula).toMatch(/seconds to go back/);
});
// The profile and its numbers are those of 7-C of the checks (invented; by definition).
const PROFILE = [2, 2, 2, 2, 2, 3, 5, 8, 12, 15, 16, 14, 9, 12, 15, 14, 10, 7, 5, 4, 3, 3, 2, 1];
test('7-C1, C5: staging buffer for a line, and line for a buffer', () => {
  expect(stagingBuffer(PROFILE, 8).value).toBeCloseTo(45, 9);
  expect(stagingBuffer(PROFILE, 8, 1)).toMatchObject({ value: 45, unit: 'bytes' });
  expect(lineForBuffer(PROFILE, 30).value * 3600).toBeCloseTo(29 / 3, 9);
});
test('repository: one full copy and the changes of the others', () => {
  const inputs = {
    'bytes protected': 100 * TB,
    'share that changes between points': 0.02,
    'points kept': 31,
    'share left after deduplication and compression': 0.4,
    'share of room to spare': 0.25,
  };
  expect(repository(inputs).value).toBeCloseTo(80 * TB, -3);
  expect(repository(inputs).dominant).toMatch(/bytes protected|share left/);
  expect(repository({ ...inputs, 'points kept': 0 }).value).toBeCloseTo(50 * TB, -3);
});
