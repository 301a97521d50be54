/** A cell that a spreadsheet would take for a formula is written with a leading apostrophe. */
export function withoutFormula(cell: string): string {
  return /^[=+@\t\r-]/.test(cell) ? `'${cell}` : cell;
}
