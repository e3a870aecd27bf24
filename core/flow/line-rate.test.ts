import {
  fibreRoundTripSeconds,
  goodputShare,
  LARGEST_WINDOW_BYTES,
  lossForRate,
  lossLimitBps,
  MATHIS,
  payloadOctets,
  sendSeconds,
  usableRate,
  windowLimitBps,
  windowShift,
  windowToFill,
  wireOctets,
  type LineProtocol,
} from '@/core/flow/line-rate';

const near = (value: number, expected: number, relative: number) =>
  expect(Math.abs(value / expected - 1)).toBeLessThanOrEqual(relative);
const v4: LineProtocol = { mtu: 1500, ip: 4 };

// RFC 9293 (window field) and RFC 7323, both from memory.
test('5-T1, T2: a window a round trip', () => {
  expect(windowLimitBps(65_535, 0.1)).toBe(5_242_800);
  expect(windowLimitBps(65_535, 0.02)).toBe(26_214_000);
});
test('5-T3, T4: bandwidth-delay product and the shift that reaches it', () => {
  expect(windowToFill(1e9, 0.1)).toBe(12_500_000);
  expect(windowToFill(1e9, 0.1) / 2 ** 20).toBeCloseTo(11.920928955, 9);
  expect([12_500_000, 65_535, 65_536, 125_000_000, 2e9].map(windowShift)).toEqual([8, 0, 1, 11, null]);
});
test('5-T5, T6: the largest window and what it carries at 100 ms', () => {
  expect(LARGEST_WINDOW_BYTES).toBe(1_073_725_440);
  near(windowLimitBps(LARGEST_WINDOW_BYTES, 0.1), 85.8980352e9, 1e-6);
});

// Mathis et al. 1997, from memory.
test.each([
  ['5-T7', 0.1, 1e-4, 14.30502e6],
  ['5-T8', 0.05, 1e-3, 9.047289e6],
  ['5-T8b', 0.02, 1e-6, 715.251005e6],
])('%s: MSS 1460 at a round trip of %d s and loss %d', (_id, rtt, loss, bps) => {
  near(lossLimitBps(1460, rtt, loss), bps, 1e-6);
});
test('5-T9, T10: loss that allows 100 Mbit/s at 50 ms; the two constants', () => {
  near(lossForRate(100e6, 1460, 0.05), 8.185344e-6, 1e-6);
  near(MATHIS.everyPacket, 1.224745, 1e-6);
  near(MATHIS.delayed, 0.866025, 1e-6);
  expect(lossLimitBps(1460, 0.05, 0)).toBe(Infinity);
});
test('5-T11: the sawtooth from W/2 to W loses one packet a cycle, and gives sqrt(3/2) (derivation)', () => {
  const w = 2000;
  let packets = 0;
  for (let window = w / 2; window < w; window++) packets += window;
  near((packets / (w / 2)) * Math.sqrt(1 / packets), Math.sqrt(3 / 2), 1e-3);
});

// Speed of light by definition; the group index is the usual one of G.652 fibre (common practice).
test.each([
  ['5-F1', 0.5, 4.896721],
  ['5-F10', 10, 97.9344],
  ['5-F50', 50, 489.672],
  ['5-F100', 100, 979.344],
  ['5-F300', 300, 2938.03],
  ['5-F1000', 1000, 9793.44],
])('%s: %d km and back take %d us', (_id, km, us) => near(fibreRoundTripSeconds(km) * 1e6, us, 2e-6));

// IEEE 802.3, IPv4, IPv6, TCP and RFC 7323 header sizes, from memory.
test('15-O: octets of a full frame and of its data', () => {
  expect(wireOctets(v4)).toBe(1538);
  expect(wireOctets({ mtu: 9000, ip: 4 })).toBe(9038);
  expect([v4, { ...v4, timestamps: true }, { mtu: 1500, ip: 6 as const }].map(payloadOctets)).toEqual([
    1460, 1448, 1440,
  ]);
});
test.each<[string, LineProtocol, number]>([
  ['15-G1', v4, 0.949284785],
  ['15-G2', { ...v4, timestamps: true }, 0.941482445],
  ['15-G3', { mtu: 1500, ip: 6 }, 0.936280884],
  ['15-G4', { mtu: 1500, ip: 6, timestamps: true }, 0.928478544],
  ['15-G5', { mtu: 9000, ip: 4 }, 0.991369772],
  ['15-G6', { mtu: 9000, ip: 4, timestamps: true }, 0.990042045],
  ['15-G7', { ...v4, vlanTag: true }, 0.946822309],
])('%s: share of data', (_id, protocol, share) => expect(goodputShare(protocol)).toBeCloseTo(share, 8));
test('15-G8, G9: 1 Gbit/s carries this many MB/s', () => {
  expect((1e9 * goodputShare(v4)) / 8e6).toBeCloseTo(118.6605982, 6);
  expect((1e9 * goodputShare({ ...v4, timestamps: true })) / 8e6).toBeCloseTo(117.6853056, 6);
});
test('15-R1 to R4: seconds to send', () => {
  expect(sendSeconds(1e12, 1e9)).toBe(8000);
  expect(sendSeconds(1e12, 1e9, goodputShare(v4))).toBeCloseTo(8427.39726, 4);
  expect(sendSeconds(2 ** 40, 1e9, goodputShare(v4))).toBeCloseTo(9266.021279, 5);
  expect(sendSeconds(50e9, 20e6)).toBe(20_000);
});

test('what holds a line back is named: the window, then the loss, then the line (by the definitions above)', () => {
  const line = { rateBps: 1e9, roundTripSeconds: 0.05, loss: 0, protocol: v4, windowBytes: 65_535, connections: 1 };
  expect(usableRate(line)).toEqual({ bps: 65_535 * 160, limit: 'window' });
  expect(usableRate({ ...line, windowBytes: 1e8, loss: 1e-3 }).limit).toBe('loss');
  const free = usableRate({ ...line, windowBytes: 1e8 });
  expect(free.limit).toBe('line');
  expect(free.bps).toBeCloseTo(949284785.4, 0);
  expect(usableRate({ ...line, windowBytes: 1e8, loss: 1e-3, connections: 200 }).limit).toBe('line');
});
