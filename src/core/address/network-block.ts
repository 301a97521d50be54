/**
 * What is counted as one network: an IPv4 address, or the 64 bits of an IPv6 address before its host's own (RFC 4291
 * section 2.5.1), since whoever has one of these has them all. What is neither stays as it is.
 */
export function networkBlock(address: string): string {
  if (!URL.canParse(`http://[${address}]/`)) return address;
  // The URL Standard writes every form of an address in one: no dotted end, no leading zeros, the longest run as `::`.
  const [before = '', after = ''] = new URL(`http://[${address}]/`).hostname.slice(1, -1).split('::');
  const head = before === '' ? [] : before.split(':');
  const tail = after === '' ? [] : after.split(':');
  const zeros = Array.from({ length: 8 - head.length - tail.length }, () => '0');
  return `${[...head, ...zeros, ...tail].slice(0, 4).join(':')}::/64`;
}

/**
 * Whether a host is this machine itself, by an address or name that never leads elsewhere (RFC 1122 3.2.1.3, RFC 6761
 * 6.3).
 */
export function isLoopback(host: string): boolean {
  return /^(127(\.\d{1,3}){3}|localhost|\[?::1\]?)$/i.test(host);
}
