import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useLetters } from "../../app/letters";
import { useHere, useMayWrite } from "../../app/session";
import { useWalks } from "../../app/walks";
import { Button, Caution, Choice, TextField } from "../../kit";
import { api, type Refusal, take } from "../../lib/api";
import { useKept } from "../../lib/keep";
import { takeBack } from "../../lib/outbox";
import { clock } from "../../lib/time";

/** Who is out alone, where, and when due back. */
export function OutAlone() {
  const { operation } = useHere();
  const mayWrite = useMayWrite();
  const client = useQueryClient();
  const walks = useWalks();
  const letters = useLetters("walks");
  const [place, setPlace] = useKept("walk place", "");
  const [hours, setHours] = useKept<"1" | "2" | "3" | "5">("walk hours", "2");
  const back = useMutation<unknown, Refusal, number>({
    mutationFn: (walk) =>
      take(
        api.POST("/api/v1/operations/{operation}/walks/{walk}/back", {
          params: { path: { operation: operation.slug, walk } },
        }),
      ),
    onSuccess: () => client.invalidateQueries({ queryKey: ["walks", operation.slug] }),
  });
  const leave = async () => {
    const kept = await letters.send("walks", (token, at) => ({
      token,
      place,
      since: at,
      due_at: new Date(Date.parse(at) + Number(hours) * 3_600_000).toISOString(),
    }));
    if (kept) setPlace("");
  };
  const out = (walks.data ?? []).filter((walk) => walk.back_at === null);
  return (
    <section aria-label="Out alone" className="mt-4">
      <h2 className="border-b border-ink text-figure font-semibold">Out alone</h2>
      {out.length === 0 && letters.waiting.length === 0 && <p className="mt-1 text-soft">Nobody.</p>}
      <ul>
        {out.map((walk) => (
          <li key={walk.id} className="flex flex-wrap items-center gap-x-3 border-b border-rule py-1">
            <span className="font-semibold">{walk.who}</span>
            <span className="min-w-0 flex-1">
              {walk.place},{" "}
              <span className={walk.overdue ? "font-semibold text-act" : ""}>
                {walk.overdue ? "was due" : "due"} back at {clock(walk.due_at, operation.zone)}
              </span>
            </span>
            {mayWrite && <Button onClick={() => back.mutate(walk.id)}>Back</Button>}
          </li>
        ))}
        {letters.waiting.map((letter) => (
          <li key={letter.id} className="flex flex-wrap items-center gap-x-3 border-b border-rule py-1">
            <span className="min-w-0 flex-1 font-semibold text-act" role="alert">
              Nobody knows yet that you are out at {String(letter.body.place)}
              {letter.refused ? `: ${letter.refused}` : ": no coverage. Tell somebody before you go."}
            </span>
            <Button onClick={() => takeBack(letter.id)}>Drop</Button>
          </li>
        ))}
      </ul>
      {letters.fault && (
        <p role="alert" className="font-semibold text-act">
          Nobody knows that you go: {letters.fault}
        </p>
      )}
      {mayWrite && (
        <form
          className="mt-2 flex flex-wrap items-end gap-3"
          onSubmit={(event) => {
            event.preventDefault();
            if (place.trim()) void leave();
          }}
        >
          <div className="min-w-40 flex-1">
            <TextField label="I go out alone to" value={place} onValue={setPlace} />
          </div>
          <Choice
            label="back in"
            value={hours}
            onValue={setHours}
            options={[
              ["1", "1 h"],
              ["2", "2 h"],
              ["3", "3 h"],
              ["5", "5 h"],
            ]}
          />
          <Button type="submit" className="max-sm:min-h-12">
            Going
          </Button>
        </form>
      )}
      <div className="mt-2">
        <Caution>Ice, dark, hung limbs: carry a light and a phone. Nobody climbs a ladder alone.</Caution>
      </div>
    </section>
  );
}
