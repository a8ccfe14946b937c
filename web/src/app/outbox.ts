import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { keepNow } from "../lib/offline";
import { flush, onSent } from "../lib/outbox";
import { showInBoil } from "../rooms/boil/action";

const EVERY_MS = 15_000;

/** Sends what waits whenever there may be coverage, and draws anew what it changed. */
export function useOutbox(person: string) {
  const client = useQueryClient();
  useEffect(() => {
    const stop = onSent(async (letter, answer) => {
      const [what = "", number] = letter.subject.split(" ");
      if (what === "hunt") {
        client.setQueryData(["hunt", letter.operation, Number(number)], answer);
        client.invalidateQueries({ queryKey: ["hunts", letter.operation] });
      } else if (what === "boil") await showInBoil(client, letter, answer);
      else client.invalidateQueries({ queryKey: [what, letter.operation] });
      await keepNow(client);
    });
    const send = () => void flush(person).catch(() => undefined);
    send();
    const timer = setInterval(send, EVERY_MS);
    addEventListener("online", send);
    return () => {
      stop();
      clearInterval(timer);
      removeEventListener("online", send);
    };
  }, [client, person]);
}
