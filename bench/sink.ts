import { SMTPServer } from 'smtp-server';

/** A relay that takes every message and keeps none, but puts off whoever is at slow.example. */
const port = Number(process.argv[2]);
const server = new SMTPServer({
  authOptional: true,
  disabledCommands: ['AUTH', 'STARTTLS'],
  disableReverseLookup: true,
  onRcptTo({ address }, _session, done) {
    const isSlow = address.endsWith('@slow.example');
    done(isSlow ? Object.assign(new Error('4.7.1 try again later'), { responseCode: 451 }) : null);
  },
  onData(stream, _session, done) {
    stream.resume();
    stream.on('end', () => done(null, '2.0.0 taken'));
  },
});
server.listen(port, '127.0.0.1', () => process.stdout.write('ready\n'));
