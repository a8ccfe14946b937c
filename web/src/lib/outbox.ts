import { liveQuery } from "dexie";
import { useEffect, useState } from "react";
import { crumb, type Fault } from "./api";
import { store, type Waiting } from "./store";

export type Letter = Omit<Waiting, "id" | "tried" | "refused">;
export type Fate = "sent" | "waiting" | "refused";
type Listener = (letter: Waiting, answer: unknown) => void | Promise<void>;

const listeners = new Set<Listener>();
const REMEMBERED = 200;
/** The server's answers to what was sent lately, by the letter's id, for whoever takes it back a moment too late. */
const answers = new Map<number, unknown>();
/** Called with the server's answer to each letter that was taken; the letter goes once all have done with it. */
export function onSent(listener: Listener): () => void {
  listeners.add(listener);
  return () => listeners.delete(listener);
}

/** Keep a letter, then try to send all that wait. It is on this device before anything is sent, so nothing can be lost. */
export async function post(letter: Letter): Promise<{ fate: Fate; id: number; faults?: Fault[] }> {
  const id = await store.outbox.add({ ...letter });
  await flush(letter.person);
  const left = await store.outbox.get(id);
  if (!left) return { fate: "sent", id };
  return left.refused ? { fate: "refused", id, faults: left.faults } : { fate: "waiting", id };
}

/** Send what waits, in the order in which it was written, one at a time; stops where there is no coverage. */
export async function flush(person: string): Promise<void> {
  // one tab at a time: two must not send the same letter at once
  await navigator.locks.request("outbox", async () => {
    const waiting = await store.outbox.orderBy("id").toArray();
    for (const letter of waiting) {
      if (letter.person !== person || letter.refused) continue;
      const told = await send(letter);
      if (told === null) {
        await store.outbox.filter((one) => one.person === person && !one.refused).modify({ tried: true });
        return;
      }
      if (told.refused !== undefined)
        await store.outbox.update(letter.id, { refused: told.refused[0]?.message, faults: told.refused });
      else {
        answers.set(letter.id, told.answer);
        for (const old of answers.keys()) if (answers.size > REMEMBERED) answers.delete(old);
        // it leaves this device only when the answer is kept here: at no moment would a reload show neither
        await Promise.allSettled([...listeners].map(async (listen) => listen(letter, told.answer)));
        await store.outbox.delete(letter.id);
      }
    }
  });
}

/** The server's answer, its refusal, or null when it cannot be reached or cannot decide now. */
async function send(letter: Waiting): Promise<{ answer?: unknown; refused?: Fault[] } | null> {
  let response: Response;
  try {
    response = await fetch(letter.path, { method: "POST", ...written(letter) });
  } catch {
    return null;
  }
  const answer = await response.json().catch(() => null);
  if (response.ok) return { answer };
  // signed out, too busy, or broken: the letter is not at fault and waits
  if (response.status >= 500 || [401, 403, 408, 429].includes(response.status)) return null;
  const faults = (answer as { errors?: Fault[] } | null)?.errors;
  return { refused: faults ?? [{ field: "server", message: `the server answered ${response.status}` }] };
}

function written(letter: Waiting): RequestInit {
  if (!letter.photo) {
    const headers = { "Content-Type": "application/json", "X-CSRFToken": crumb() };
    return { headers, body: JSON.stringify(letter.body) };
  }
  const form = new FormData();
  for (const [name, value] of Object.entries(letter.body)) if (value != null) form.set(name, String(value));
  form.set("photo", letter.photo, "photo.jpg");
  return { headers: { "X-CSRFToken": crumb() }, body: form };
}

/** What waits or was refused, for one subject or for all; `first` with what is on its way for the first time. */
export function useWaiting(subject?: string, first = false): Waiting[] {
  const [found, setFound] = useState<Waiting[]>([]);
  useEffect(() => {
    const query = liveQuery(() =>
      subject ? store.outbox.where("subject").equals(subject).sortBy("id") : store.outbox.orderBy("id").toArray(),
    );
    // what is on its way for the first time is not waiting yet
    const next = (all: Waiting[]) => setFound(all.filter((one) => first || one.tried || one.refused));
    const watch = query.subscribe({ next, error: () => setFound([]) });
    return () => watch.unsubscribe();
  }, [subject, first]);
  return found;
}

/** Take back what was not sent. What is on its way is waited for: the server's answer to what went nevertheless, else null. */
export function takeBack(id: number): Promise<unknown | null> {
  return navigator.locks.request("outbox", async () => {
    await store.outbox.delete(id);
    return answers.get(id) ?? null;
  });
}

/** Try a refused letter again. */
export async function tryAgain(letter: Waiting): Promise<void> {
  await store.outbox.update(letter.id, { refused: undefined, faults: undefined });
  await flush(letter.person);
}
