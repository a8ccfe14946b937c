import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { useHere } from "../../app/session";
import { Button, Pick } from "../../kit";
import { api, type Refusal, type Shapes, take } from "../../lib/api";

/** A hunt that no alarm asked for: somebody heard a hiss, or the round looked wrong. */
export function ByHand() {
  const { operation } = useHere();
  const navigate = useNavigate();
  const path = { operation: operation.slug };
  const bushes = useQuery({
    queryKey: ["bushes", operation.slug],
    queryFn: () => take(api.GET("/api/v1/operations/{operation}/bushes", { params: { path } })),
  });
  const piped = (bushes.data ?? []).filter((bush) => bush.surveyed && !bush.hauled);
  const [chosen, setChosen] = useState("");
  const bush = chosen || piped[0]?.slug || "";
  const open = useMutation<Shapes["HuntOut"], Refusal>({
    mutationFn: () => take(api.POST("/api/v1/operations/{operation}/hunts", { params: { path }, body: { bush } })),
    onSuccess: (hunt) => navigate(`/${operation.slug}/hunt/${hunt.number}`),
  });
  if (piped.length === 0) return null;
  return (
    <div className="mt-3 flex flex-wrap items-end gap-2 text-label">
      <Pick
        label="No alarm, but something is wrong in"
        value={bush}
        onValue={setChosen}
        options={piped.map((one) => [one.slug, one.name])}
      />
      <Button disabled={open.isPending} onClick={() => open.mutate()}>
        Hunt there
      </Button>
      {open.error && (
        <p role="alert" className="font-semibold text-act">
          {open.error.message}
        </p>
      )}
    </div>
  );
}
