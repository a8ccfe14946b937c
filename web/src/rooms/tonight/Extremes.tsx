import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useHere, useMayWrite } from "../../app/session";
import { Button, NumberField } from "../../kit";
import { api, Refusal, take } from "../../lib/api";

type Typed = {
  warmest_c: number | null;
  warmest_hour: number | null;
  coldest_c: number | null;
  coldest_hour: number | null;
};

/** Weather as somebody heard it: how warm, how cold, and when. A forecast is made of it. */
export function Extremes() {
  const { operation } = useHere();
  const client = useQueryClient();
  const mayWrite = useMayWrite();
  const [open, setOpen] = useState(false);
  const [typed, setTyped] = useState<Typed>({ warmest_c: null, warmest_hour: 15, coldest_c: null, coldest_hour: 6 });
  const { warmest_c, warmest_hour, coldest_c, coldest_hour } = typed;
  const whole =
    warmest_c !== null && warmest_hour !== null && coldest_c !== null && coldest_hour !== null
      ? { warmest_c, warmest_hour, coldest_c, coldest_hour }
      : null;
  const send = useMutation({
    mutationFn: (body: NonNullable<typeof whole>) =>
      take(
        api.PUT("/api/v1/operations/{operation}/weather/extremes", {
          params: { path: { operation: operation.slug } },
          body,
        }),
      ),
    onSuccess: () => {
      setOpen(false);
      for (const room of ["weather", "tonight"]) client.invalidateQueries({ queryKey: [room, operation.slug] });
    },
  });
  const refusal = send.error instanceof Refusal ? send.error : null;
  if (!mayWrite) return null;
  if (!open) {
    return (
      <button type="button" className="text-label underline underline-offset-2" onClick={() => setOpen(true)}>
        type the weather
      </button>
    );
  }
  const field = (key: keyof Typed, label: string) => (
    <NumberField
      label={label}
      dimension={key.endsWith("_c") ? "temperature" : "plain"}
      unit={key.endsWith("_c") ? undefined : "o'clock"}
      digits={0}
      si={typed[key]}
      error={refusal?.about(key)}
      onSi={(si) => setTyped({ ...typed, [key]: si })}
    />
  );
  return (
    <form
      aria-label="Weather"
      className="my-1 w-full border-t border-rule pt-1"
      onSubmit={(event) => {
        event.preventDefault();
        if (whole) send.mutate(whole);
      }}
    >
      <div className="grid grid-cols-2 gap-x-4 gap-y-1">
        {field("warmest_c", "warmest")}
        {field("warmest_hour", "at")}
        {field("coldest_c", "coldest")}
        {field("coldest_hour", "at")}
      </div>
      <div className="mt-1.5 flex items-center gap-2">
        <Button type="submit" disabled={!whole || send.isPending}>
          Forecast by these
        </Button>
        <button type="button" className="text-label underline" onClick={() => setOpen(false)}>
          leave it
        </button>
        {send.error && !Object.keys(typed).some((key) => refusal?.about(key)) && (
          <span role="alert" className="text-label font-semibold text-act">
            {send.error.message}
          </span>
        )}
      </div>
    </form>
  );
}
