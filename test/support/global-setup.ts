/** Jest's global set-up: the tests need the PostgreSQL server that scripts/test.sh brings up. */
export default function setUp(): void {
  if (!process.env['AVENDEL_TEST_SERVER'])
    throw new Error('Run the tests with `npm test`: it brings up the PostgreSQL server they need.');
}
