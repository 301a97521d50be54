import { isIPv6 } from 'node:net';
import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { networkBlock } from '../../src/core/address/network-block.ts';

test.each([
  ['203.0.113.9', '203.0.113.9'],
  ['2001:db8:1:2:3:4:5:6', '2001:db8:1:2::/64'],
  ['2001:0DB8:0001:0002::ffff', '2001:db8:1:2::/64'],
  ['2001:db8::', '2001:db8:0:0::/64'],
  ['::1', '0:0:0:0::/64'],
  ['2001:db8::5:6:7:8:9', '2001:db8:0:5::/64'],
  ['64:ff9b::203.0.113.9', '64:ff9b:0:0::/64'],
  ['fe80::1%eth0', 'fe80::1%eth0'],
  ['nonsense', 'nonsense'],
])('%s is counted as %s', (address, block) => expect(networkBlock(address)).toBe(block));

test('two addresses of version 6 are of one block when their first 64 bits are the same, and only then', () => {
  const word = fc.constantFrom(0, 0, 1, 0xabc, 0xffff);
  const words = fc.array(word, { minLength: 8, maxLength: 8 });
  const written = (one: number[]) => one.map((value) => value.toString(16)).join(':');
  fc.assert(
    fc.property(words, words, (one, other) => {
      const [a, b] = [written(one), written(other)];
      expect(isIPv6(a) && isIPv6(b)).toBe(true);
      expect(networkBlock(a) === networkBlock(b)).toBe(written(one.slice(0, 4)) === written(other.slice(0, 4)));
      // However it is written: shortened as the standard does it, it is the same network.
      expect(networkBlock(new URL(`http://[${a}]/`).hostname.slice(1, -1))).toBe(networkBlock(a));
    }),
  );
});
