import {
  applyRule,
  BadAddress,
  contains,
  doubles,
  formatAddress,
  parseAddress,
  parsePrefix,
  prefixOf,
  sizeOf,
} from '@/core/recover/address';

// Prefix arithmetic of RFC 4632, documentation ranges of RFC 5737, 3849 and 9637 (all from memory); reproduced by
// ip-address and python ipaddress.
test.each([
  ['12-A1', '192.0.2.10', '192.0.2.0/24', '198.51.100.0/24', '198.51.100.10'],
  ['12-A2', '192.0.2.254', '192.0.2.0/24', '198.51.100.0/24', '198.51.100.254'],
  ['12-A3', '192.0.2.10', '192.0.2.0/24', '198.51.100.0/25', '198.51.100.10'],
  ['12-A4', '192.0.2.200', '192.0.2.0/24', '198.51.100.0/25', 'no-fit'],
  ['12-A5', '192.0.2.127', '192.0.2.0/24', '198.51.100.0/25', 'broadcast'],
  ['12-A6', '192.0.2.128', '192.0.2.0/24', '198.51.100.128/25', 'no-fit'],
  ['12-A7', '192.0.2.200', '192.0.2.128/25', '203.0.113.0/24', '203.0.113.72'],
  ['12-A8', '192.0.2.127', '192.0.2.0/25', '203.0.113.0/24', '203.0.113.127'],
  ['12-A9', '192.0.2.128', '192.0.2.128/25', '203.0.113.0/24', 'network'],
  ['12-A10', '192.0.2.10', '192.0.2.128/25', '203.0.113.0/24', 'not-in-source'],
  ['12-A11', '192.0.2.130', '192.0.2.128/26', '198.51.100.64/26', '198.51.100.66'],
  ['12-A12', '192.0.2.5', '192.0.2.4/31', '198.51.100.8/31', '198.51.100.9'],
  ['12-A13', '192.0.2.7', '192.0.2.7/32', '203.0.113.9/32', '203.0.113.9'],
  ['12-A14', '10.20.37.200', '10.20.32.0/20', '172.16.48.0/20', '172.16.53.200'],
  ['12-B1', '2001:db8:1:2::15', '2001:db8:1:2::/64', '2001:db8:a:b::/64', '2001:db8:a:b::15'],
  [
    '12-B2',
    '2001:db8:1:2:211:22ff:fe33:4455',
    '2001:db8:1:2::/64',
    '2001:db8:a:b::/64',
    '2001:db8:a:b:211:22ff:fe33:4455',
  ],
  ['12-B3', '2001:db8:1:2:3::1', '2001:db8:1::/48', '2001:db8:ffff::/48', '2001:db8:ffff:2:3::1'],
  ['12-B4', '2001:db8:1:2:3::1', '2001:db8:1::/48', '2001:db8:a:b::/64', 'no-fit'],
  ['12-B5', '2001:db8:1::abcd', '2001:db8:1::/48', '2001:db8:a:b::/64', '2001:db8:a:b::abcd'],
  ['12-B6', '2001:db8::', '2001:db8::/64', '2001:db8:0:1::/64', '2001:db8:0:1::'],
])('%s: %s from %s to %s is %s', (_id, address, from, to, expected) => {
  const mapped = applyRule({ kind: 'host-part', from, to }, address);
  expect(mapped).toEqual(
    expected.includes('.') || expected.includes(':')
      ? { kind: 'address', address: expected }
      : { kind: 'refused', reason: expected },
  );
});

test('12-C1: the subnet of an address (RFC 4632)', () => {
  const prefix = prefixOf(parseAddress('192.0.2.130'), 26);
  const last = { bits: prefix.bits, value: prefix.first + sizeOf(prefix) - 1n };
  expect([formatAddress({ bits: 32, value: prefix.first }), formatAddress(last), sizeOf(prefix)]).toEqual([
    '192.0.2.128',
    '192.0.2.191',
    64n,
  ]);
});
const inside = (prefix: string, address: string) => contains(parsePrefix(prefix), parseAddress(address));
test('12-C2: the documentation ranges (RFC 5737)', () => {
  const ranges = ['192.0.2.0/24', '198.51.100.0/24', '203.0.113.0/24'];
  const found = ['192.0.2.1', '198.51.100.77', '203.0.113.255', '192.0.3.1'].map((a) =>
    ranges.some((r) => inside(r, a)),
  );
  expect(found).toEqual([true, true, true, false]);
});
test('12-C3: RFC 3849 and RFC 9637', () => {
  expect(['2001:db8::1', '2001:db8:ffff::1', '2001:db9::1'].map((a) => inside('2001:db8::/32', a))).toEqual([
    true,
    true,
    false,
  ]);
  expect(['3fff::1', '3fff:fff::1', '3fff:1000::1'].map((a) => inside('3fff::/20', a))).toEqual([true, true, false]);
});
test('12-C4: 192.0.2.10 + 256', () => {
  const { bits, value } = parseAddress('192.0.2.10');
  expect(formatAddress({ bits, value: value + 256n })).toBe('192.0.3.10');
});
test.each([
  ['10.0.0.0/8', '10.255.255.255', 16_777_216n],
  ['172.16.0.0/12', '172.31.255.255', 1_048_576n],
  ['192.168.0.0/16', '192.168.255.255', 65_536n],
])('12-C5: %s ends at %s (RFC 1918)', (text, last, count) => {
  const prefix = parsePrefix(text);
  expect(sizeOf(prefix)).toBe(count);
  expect(formatAddress({ bits: 32, value: prefix.first + count - 1n })).toBe(last);
});
test.each([
  ['2001:0DB8:0:0:1:0:0:1', '2001:db8::1:0:0:1'],
  ['2001:db8:0:1:1:1:1:1', '2001:db8:0:1:1:1:1:1'],
  ['2001:DB8::0:0:0:1', '2001:db8::1'],
  ['2001:0:0:1:0:0:0:1', '2001:0:0:1::1'],
])('12-D1: %s is written %s (RFC 5952)', (text, canonical) =>
  expect(formatAddress(parseAddress(text))).toBe(canonical),
);

// 12-E1: the octal and short forms that a library accepts are refused.
test.each(['192.0.2.010', '192.0.2', '0x7f.1', '192.0.2.256', '', 'fe80::1%eth0', '2001:db8:::1', ' 192.0.2.1'])(
  '12-E1: "%s" is no address',
  (text) => expect(() => parseAddress(text)).toThrow(BadAddress),
);
test.each(['192.0.2.1/24', '192.0.2.0', '192.0.2.0/33', '2001:db8::/129', 'x/24'])('"%s" is no prefix', (text) => {
  expect(() => parsePrefix(text)).toThrow(BadAddress);
});

test('the other rules keep, fix, or leave it to the place', () => {
  expect(applyRule({ kind: 'keep' }, '2001:DB8::0:1')).toEqual({ kind: 'address', address: '2001:db8::1' });
  expect(applyRule({ kind: 'fixed', address: '192.0.2.9' }, '192.0.2.1')).toEqual({
    kind: 'address',
    address: '192.0.2.9',
  });
  expect(applyRule({ kind: 'dynamic' }, '192.0.2.1')).toEqual({ kind: 'dynamic' });
});
test('two machines with one address on one network are found, however it is written', () => {
  const wanted = [
    { name: 'a', network: 'mil-core', address: '2001:db8::1' },
    { name: 'b', network: 'mil-core', address: '2001:DB8:0::0001' },
    { name: 'c', network: 'nor-core', address: '2001:db8::1' },
  ];
  expect(doubles(wanted)).toEqual([{ network: 'mil-core', address: '2001:db8::1', names: ['a', 'b'] }]);
});
