import { Door } from './page.tsx';

/** A contact in a table: by name, or by address where there is none, with whether they are archived. */
export function ContactDoor({
  id,
  name,
  address,
  archived,
}: {
  id: number;
  name?: string | null;
  address: string | null;
  archived: boolean;
}) {
  return (
    <>
      <Door to={`/contacts/${id}`}>{name ?? address}</Door>
      {archived ? <span className="second"> archived</span> : null}
    </>
  );
}
