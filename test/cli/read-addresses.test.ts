import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, test } from '@jest/globals';
import { readAddresses } from '../../src/cli/read-addresses.ts';

const folder = mkdtempSync(join(tmpdir(), 'avendel-addresses-'));
function read(text: string): string[] {
  writeFileSync(join(folder, 'given'), text);
  return readAddresses(join(folder, 'given'));
}
const ADA_AND_BO = ['ada@quillmail.example', 'bo@quillmail.example'];

test('addresses one a line, with blank lines and either line end', () => {
  expect(read('ada@quillmail.example\r\n\r\n  bo@quillmail.example  \n')).toEqual(ADA_AND_BO);
  expect(read('')).toEqual([]);
});

test('the column of addresses in a table, wherever it stands, with a header or without', () => {
  expect(read('Name,Email,Seat\n"Lind, Ada",ada@quillmail.example,B7\nBo,bo@quillmail.example,B8\n')).toEqual(
    ADA_AND_BO,
  );
  expect(read('\ufeffName;E-Mail\nAda;ada@quillmail.example\nBo;bo@quillmail.example')).toEqual(ADA_AND_BO);
  expect(read('Ada\tada@quillmail.example\nBo\tbo@quillmail.example')).toEqual(ADA_AND_BO);
});

test('what is no address comes along, so that it is told; a table without any is refused', () => {
  expect(read('nonsense\nada@quillmail.example')).toEqual(['nonsense', 'ada@quillmail.example']);
  expect(read('Email,Name\nada@quillmail.example,Ada\nnot an address,Bo')).toEqual([
    'ada@quillmail.example',
    'not an address',
  ]);
  expect(() => read('Name,Seat\nAda,B7')).toThrow(/no column of addresses\. Its first row is: Name, Seat/);
});
