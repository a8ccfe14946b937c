import { mutationOptions, type QueryClient } from "@tanstack/react-query";
import { api, type Shapes, take } from "../lib/api";

type Session = Shapes["SessionOut"];
const SESSION = ["session"];
const mutationKey = ["likes"];

/** What a person likes (units, light): shown at once and sent in the order of choosing. The last choice stands,
 * however late the answer to an earlier one comes. */
export function likes(client: QueryClient) {
  return mutationOptions({
    mutationKey,
    scope: { id: "likes" },
    mutationFn: (wanted: Shapes["Preferences"]) => take(api.PATCH("/api/v1/session", { body: wanted })),
    onMutate: async (wanted) => {
      client.setQueryData<Session>(SESSION, (old) => (old ? ({ ...old, ...wanted } as Session) : old));
      await client.cancelQueries({ queryKey: SESSION });
    },
    onSettled: (session) => {
      if (client.isMutating({ mutationKey }) > 1) return;
      if (session) client.setQueryData(SESSION, session);
      else void client.invalidateQueries({ queryKey: SESSION });
    },
  });
}
