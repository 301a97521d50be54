import { Socket } from 'node:net';

/** Whether a server on loopback takes connections and says something first, as mail servers do. */
export function answers(port: number): Promise<boolean> {
  return new Promise((resolve) => {
    const socket = new Socket();
    const done = (value: boolean) => (): void => {
      socket.destroy();
      resolve(value);
    };
    socket.once('data', done(true)).once('error', done(false)).connect(port, '127.0.0.1');
  });
}
