import { convert, type FormatCallback } from 'html-to-text';

/** A picture is what its author says it shows. */
const formatPicture: FormatCallback = ({ attribs }, _walk, builder) => {
  const { alt } = attribs as Record<string, string | undefined>;
  const said = alt?.trim() ?? '';
  if (said !== '') builder.addInline(said);
};

/**
 * A plain-text reading of an HTML body, for campaigns whose author wrote none: links are written out after their words.
 */
export function htmlToText(html: string): string {
  return convert(html, {
    wordwrap: false,
    formatters: { picture: formatPicture },
    selectors: [
      { selector: 'a', options: { linkBrackets: ['<', '>'], hideLinkHrefIfSameAsText: true } },
      { selector: 'img', format: 'picture' },
      ...['h1', 'h2', 'h3', 'h4', 'h5', 'h6'].map((selector) => ({ selector, options: { uppercase: false } })),
      { selector: 'ul', options: { itemPrefix: '- ' } },
    ],
  }).trim();
}
