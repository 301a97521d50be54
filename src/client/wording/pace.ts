/**
 * How far long work is, how fast it goes (`rate` a second) and how long it still takes: `12,000 of 200,000, 65,000 a
 * second, 3 s left`.
 */
export function paceWords(done: number, whole: number, rate: number): string {
  const figure = (number: number): string => number.toLocaleString('en-GB');
  const so = `${figure(done)} of ${figure(whole)}`;
  if (!(rate > 0)) return so;
  const speed = rate >= 10 ? `${figure(Math.round(rate))} a second` : `${figure(Math.round(rate * 60))} a minute`;
  return done >= whole ? `${so}, ${speed}` : `${so}, ${speed}, ${durationWords((whole - done) / rate)} left`;
}

function durationWords(seconds: number): string {
  if (seconds < 90) return `${Math.ceil(seconds)} s`;
  if (seconds < 90 * 60) return `${Math.round(seconds / 60)} min`;
  return `${Math.round(seconds / 3600)} h`;
}
