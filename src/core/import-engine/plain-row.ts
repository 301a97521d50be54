/** More columns than this, and a row is read as text. */
const MOST_CELLS = 256;

const [LINE_FEED, CARRIAGE_RETURN, QUOTATION_MARK] = [0x0a, 0x0d, 0x22];
const [BLANK, LAST_VISIBLE] = [0x20, 0x7e];

/**
 * A row of a table as it stands in its bytes: visible ASCII, without a quotation mark, so that its cells are where the
 * delimiter parts them (RFC 4180 section 2.4). Most rows of most files are of this kind. One is used for row after row:
 * it is good until the next is asked for.
 */
export class PlainRow {
  bytes: Buffer = Buffer.alloc(0);
  /** How many cells there are, and where each begins and ends. */
  count = 0;
  readonly begins = new Int32Array(MOST_CELLS);
  readonly ends = new Int32Array(MOST_CELLS);
  /** It can be read. */
  readonly error = '';

  /** Takes the row that begins at a place, and tells where its line ends; -1 when it is not plain, or has no end. */
  take(bytes: Buffer, from: number, delimiter: number): number {
    const { begins, ends } = this;
    let cells = 0;
    begins[0] = from;
    for (let at = from; at < bytes.length; at++) {
      const byte = bytes[at]!;
      if (byte === delimiter) {
        if (cells === MOST_CELLS - 1) return -1;
        ends[cells++] = at;
        begins[cells] = at + 1;
      } else if (byte < BLANK || byte > LAST_VISIBLE || byte === QUOTATION_MARK) {
        const feed = byte === CARRIAGE_RETURN ? at + 1 : at;
        if (bytes[feed] !== LINE_FEED) return -1;
        ends[cells] = at;
        this.bytes = bytes;
        this.count = cells + 1;
        return feed;
      }
    }
    return -1;
  }

  cell(place: number): string {
    return this.bytes.toString('latin1', this.begins[place], this.ends[place]);
  }

  get cells(): string[] {
    return Array.from({ length: this.count }, (_, place) => this.cell(place));
  }
}
