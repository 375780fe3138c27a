// A mail address, an address to post to, or a loudspeaker for somebody.
import { useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import * as changes from "../../api/changes";
import { keys, useLoudspeakers, usePresence } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Button, Failure, Labelled } from "../../ui/parts";
import { Secret } from "../../ui/Secret";
import { visible } from "../../ui/visible";

const SORTS = {
  mail: { label: "Mail address", type: "email", example: "ada@mill.example" },
  post: { label: "Address to post to", type: "url", example: "https://mill.example/told" },
  loudspeaker: { label: "Loudspeaker", type: "text", example: "" },
} as const;
type Sort = keyof typeof SORTS;

export function AddContact() {
  const cache = useQueryClient();
  const people = usePresence();
  const speakers = useLoudspeakers();
  const [sort, setSort] = useState<Sort>("mail");
  const add = useChange({
    mutationFn: changes.addContact,
    onSuccess: () => cache.invalidateQueries({ queryKey: keys.contacts }),
  });
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const values = new FormData(event.currentTarget);
    add.mutate({
      sort,
      name: String(values.get("name")) || sort,
      person: String(values.get("person")),
      address: String(values.get("address")),
      form: String(values.get("form") ?? "").trim(),
    });
  }
  const { label, type, example } = SORTS[sort];
  return (
    <form onSubmit={submit} className="space-y-3">
      <div className="flex flex-wrap gap-4">
        <Labelled label="By">
          <select
            className="field"
            value={sort}
            onChange={(event) => setSort(event.target.value as Sort)}
          >
            <option value="mail">Mail</option>
            <option value="post">A post to an address</option>
            <option value="loudspeaker">A loudspeaker</option>
          </select>
        </Labelled>
        <Labelled label="For">
          <select name="person" className="field">
            {people.data?.map(({ person }) => (
              <option key={person} value={person}>
                {visible(person)}
              </option>
            ))}
          </select>
        </Labelled>
      </div>
      <Labelled
        label={label}
        hint={
          sort === "loudspeaker"
            ? "Actions of nodes that take a text."
            : sort === "post"
              ? "It gets each notice as JSON, signed with a secret that is shown once."
              : "The mail server is set in hombi.toml, under [mail]."
        }
      >
        {sort === "loudspeaker" ? (
          <select name="address" required className="field">
            {speakers.data?.length === 0 && <option value="">No node here takes a text</option>}
            {speakers.data?.map((one) => (
              <option key={one.address} value={one.address}>
                {visible(one.title)}
              </option>
            ))}
          </select>
        ) : (
          <input name="address" type={type} required placeholder={example} className="field" />
        )}
      </Labelled>
      {sort === "post" && (
        <Labelled
          label="Its JSON"
          hint="Empty for the usual one. {title}, {text}, {at}, {id}, {subject}, {urgent} and {over} are filled in."
        >
          <textarea
            name="form"
            rows={3}
            maxLength={4000}
            spellCheck={false}
            placeholder={'{"message": "{title}: {text}"}'}
            className="field font-mono text-sm"
          />
        </Labelled>
      )}
      <Labelled label="Name" hint={`A text names it so: ada/${sort}.`}>
        <input name="name" maxLength={80} placeholder={sort} className="field" />
      </Labelled>
      {add.error && <Failure error={add.error} />}
      {add.data?.secret && (
        <Secret label="The secret that posts are signed with" value={add.data.secret} />
      )}
      <Button type="submit" disabled={add.isPending}>
        Add it
      </Button>
    </form>
  );
}
