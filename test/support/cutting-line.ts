import { connect, createServer, type AddressInfo } from 'node:net';

export interface CuttingLine {
  port: number;
  /** How often somebody came in by it. */
  opened: number;
  /** How often it was cut. */
  cuts: number;
  stop(): Promise<void>;
}

/** A line to a server on loopback that breaks, once, when so many bytes have come back from it. */
export async function makeCuttingLine(to: number, afterBytes: number): Promise<CuttingLine> {
  const server = createServer((near) => {
    line.opened++;
    const far = connect(to, '127.0.0.1');
    let bytes = 0;
    const end = (): void => void (near.destroy(), far.destroy());
    near.on('error', end).on('close', end);
    far.on('error', end).on('close', end);
    near.on('data', (chunk) => far.write(chunk));
    far.on('data', (chunk) => {
      bytes += chunk.length;
      if (line.cuts > 0 || bytes < afterBytes) return void near.write(chunk);
      line.cuts++;
      near.write(chunk.subarray(0, chunk.length / 2), end);
    });
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const line: CuttingLine = {
    port: (server.address() as AddressInfo).port,
    opened: 0,
    cuts: 0,
    stop: () => new Promise((resolve) => server.close(() => resolve())),
  };
  return line;
}
