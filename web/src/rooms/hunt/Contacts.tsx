import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useHere } from "../../app/session";
import { Button, Choice, Pick, TextField } from "../../kit";
import { api, type Refusal, take } from "../../lib/api";
import { useKept } from "../../lib/keep";
import { clock } from "../../lib/time";

type Kind = "email" | "webhook";
const HOURS: [string, string][] = Array.from({ length: 24 }, (_, hour) => [String(hour), `${hour}:00`]);

/** Whom alarms are told besides this screen, and when not. */
export function Contacts() {
  const { operation } = useHere();
  const client = useQueryClient();
  const path = { operation: operation.slug };
  const told = useQuery({
    queryKey: ["contacts", operation.slug],
    queryFn: () => take(api.GET("/api/v1/operations/{operation}/contacts", { params: { path } })),
  });
  const fresh = () => client.invalidateQueries({ queryKey: ["contacts", operation.slug] });
  const [open, setOpen] = useState(false);
  const [kind, setKind] = useKept<Kind>("contact kind", "email");
  const [address, setAddress] = useKept("contact address", "");
  const [from, setFrom] = useKept("quiet from", "0");
  const [to, setTo] = useKept("quiet to", "0");
  const add = useMutation<unknown, Refusal>({
    mutationFn: () =>
      take(
        api.POST("/api/v1/operations/{operation}/contacts", {
          params: { path },
          body: { kind, address: address.trim(), quiet_from: Number(from), quiet_to: Number(to) },
        }),
      ),
    onSuccess: () => {
      setAddress("");
      fresh();
    },
  });
  const drop = useMutation<unknown, Refusal, number>({
    mutationFn: (contact) =>
      take(api.DELETE("/api/v1/operations/{operation}/contacts/{contact}", { params: { path: { ...path, contact } } })),
    onSuccess: fresh,
  });
  const trial = useMutation<unknown, Refusal, number>({
    mutationFn: (contact) =>
      take(
        api.POST("/api/v1/operations/{operation}/contacts/{contact}/try", { params: { path: { ...path, contact } } }),
      ),
    onSettled: fresh,
  });
  return (
    <section aria-label="Who is told" className="mt-4">
      <h2 className="border-b border-ink text-figure font-semibold">Who is told of alarms</h2>
      <ul className="text-label">
        {(told.data ?? []).map((one) => (
          <li key={one.id} className="flex flex-wrap items-center gap-x-3 border-b border-rule py-1">
            <span className="min-w-0 flex-1 break-all">
              {one.address}
              <span className="text-soft">
                {one.quiet_from !== one.quiet_to && `, quiet from ${one.quiet_from} to ${one.quiet_to} h`}
                {one.sent_at && `, last told ${clock(one.sent_at, operation.zone)}`}
              </span>
              {one.fault && <span className="font-semibold text-act"> {one.fault}</span>}
            </span>
            <Button onClick={() => trial.mutate(one.id)}>Send a trial</Button>
            <Button onClick={() => drop.mutate(one.id)}>Remove</Button>
          </li>
        ))}
      </ul>
      {trial.isSuccess && (
        <p role="status" className="text-label">
          The trial was sent.
        </p>
      )}
      {(trial.error ?? add.error) && (
        <p role="alert" className="text-label font-semibold text-act">
          {(trial.error ?? add.error)?.message}
        </p>
      )}
      {!open ? (
        <Button className="mt-2 text-label" onClick={() => setOpen(true)}>
          Tell one more
        </Button>
      ) : (
        <form
          className="mt-2 flex flex-wrap items-end gap-3 text-label"
          onSubmit={(event) => {
            event.preventDefault();
            add.mutate();
          }}
        >
          <Choice
            label="by"
            value={kind}
            onValue={setKind}
            options={[
              ["email", "e-mail"],
              ["webhook", "web address (JSON)"],
            ]}
          />
          <div className="min-w-48 flex-1">
            <TextField
              label={kind === "email" ? "E-mail address" : "Web address"}
              value={address}
              onValue={setAddress}
            />
          </div>
          <Pick label="quiet from" value={from} onValue={setFrom} options={HOURS} />
          <Pick label="to" value={to} onValue={setTo} options={HOURS} />
          <Button type="submit">Add</Button>
          <p className="w-full text-soft">
            In quiet hours only a person overdue is told. The same hour twice: never quiet.
          </p>
        </form>
      )}
    </section>
  );
}
