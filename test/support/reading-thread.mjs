/** A thread in the place of the one that reads returns: it does what the message says. */
export default async function read({ raw, envelopeTos }) {
  const text = Buffer.from(raw).toString('latin1');
  if (text === 'for ever') for (;;);
  if (text === 'fails') throw new Error('no such thing');
  if (text === 'memory') for (const all = []; ;) all.push(Array.from({ length: 100_000 }, (_, index) => index + 0.5));
  return { readings: envelopeTos.map((to) => ({ kind: 'unknown', because: `${text} to ${to}` })) };
}
