import Dexie, { type EntityTable } from "dexie";
import type { Fault } from "./api";

/** One thing written here and not yet known to the server. `tried` when it could not be reached; `refused` is why it would
 * not take it. */
export type Waiting = {
  id: number;
  token: string;
  person: string;
  operation: string;
  /** what it is about, such as "hunt 3"; things of one subject are sent in the order in which they were written */
  subject: string;
  path: string;
  body: Record<string, unknown>;
  photo?: Blob;
  at: string;
  tried?: boolean;
  refused?: string;
  faults?: Fault[];
};

/** What this device keeps for when there is no coverage: things to send, and the last answers of the server. */
export const store = new Dexie("zucker") as Dexie & {
  outbox: EntityTable<Waiting, "id">;
  answers: EntityTable<{ key: string; value: unknown }, "key">;
};
store.version(1).stores({ outbox: "++id, token, subject", answers: "key" });
