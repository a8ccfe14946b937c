import { useState } from "react";
import { type Fault, Refusal } from "../lib/api";
import { post, takeBack, useWaiting } from "../lib/outbox";
import { serverNow } from "../lib/serverTime";
import type { Waiting } from "../lib/store";
import { useHere } from "./session";

export type Letters = {
  /** Kept on this device, then sent; true when the server has it or will have it. `make` gets a token and the server's time. */
  send: (path: string, make: (token: string, at: string) => Record<string, unknown>, photo?: Blob) => Promise<boolean>;
  waiting: Waiting[];
  fault: string | null;
  /** What is wrong with one field, if it is at fault. */
  about: (field: string) => Fault | undefined;
};

/** Writing of one subject that works without coverage. Who is still here when it is refused is told so beside the form. */
export function useLetters(subject: string): Letters {
  const { session, operation } = useHere();
  const waiting = useWaiting(subject).filter((one) => one.operation === operation.slug);
  const [fault, setFault] = useState<Refusal | null>(null);
  const send: Letters["send"] = async (path, make, photo) => {
    const [token, at] = [crypto.randomUUID(), new Date(serverNow()).toISOString()];
    const whole = `/api/v1/operations/${operation.slug}/${path}`;
    setFault(null);
    try {
      const person = session.username ?? "";
      const { fate, id, faults } = await post({
        token,
        person,
        operation: operation.slug,
        subject,
        path: whole,
        body: make(token, at),
        photo,
        at,
      });
      if (fate !== "refused") return true;
      await takeBack(id);
      setFault(new Refusal(422, faults ?? [{ field: "body", message: "it was not taken" }]));
    } catch {
      setFault(new Refusal(0, [{ field: "browser", message: "this browser can keep nothing: it was not written" }]));
    }
    return false;
  };
  return { send, waiting, fault: fault?.message ?? null, about: (field) => fault?.about(field) };
}
