/** An error of nodemailer's connection, or of the machine. */
export interface SmtpError extends Error {
  code?: string;
  command?: string;
  response?: string;
  responseCode?: number;
}

/** What keeps a connection from being encrypted as it should, by what the TLS library says of it. */
const TLS_WORDS: readonly (readonly [RegExp, string])[] = [
  [
    /self[- ]signed|unable to (verify|get).*certificate/i,
    'its certificate is of an authority that is not trusted here',
  ],
  [/certificate has expired/i, 'its certificate has expired'],
  [/certificate is not yet valid/i, 'its certificate is not valid yet'],
  [/altnames/i, 'its certificate is for another name'],
  [/STARTTLS/, 'it does not encrypt (STARTTLS), and nothing goes there in plain text'],
];

/** What the relay said, verbatim; or where it said nothing, what went wrong. */
export function replyOf(error: SmtpError): string {
  // What a server says of encryption once it is spoken to is its own matter.
  const isOurs = error.response === undefined || error.code === 'ETLS';
  const words = isOurs ? TLS_WORDS.find(([pattern]) => pattern.test(error.message))?.[1] : undefined;
  const said = error.response ?? error.message;
  return (words === undefined ? said : `${words}: ${said}`).slice(0, 1000);
}
