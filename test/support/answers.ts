import { Socket } from 'node:net';

/** Whether a server on loopback takes connections and says something first, as mail servers do. */
export const answers = (port: number): Promise<boolean> => happens(port, 'data');

/** Whether a server on loopback takes connections, whoever speaks first. */
export const listens = (port: number): Promise<boolean> => happens(port, 'connect');

function happens(port: number, what: 'data' | 'connect'): Promise<boolean> {
  return new Promise((resolve) => {
    const socket = new Socket();
    const done = (value: boolean) => (): void => {
      socket.destroy();
      resolve(value);
    };
    socket.once(what, done(true)).once('error', done(false)).connect(port, '127.0.0.1');
  });
}
