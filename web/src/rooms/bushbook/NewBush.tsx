import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { useHere } from "../../app/session";
import { Button, Choice, Empty, NumberField, TextField } from "../../kit";
import { api, type Refusal, take } from "../../lib/api";
import { useKept } from "../../lib/keep";

/** One more bush: by pipe or by truck. */
export function NewBush() {
  const { operation } = useHere();
  const navigate = useNavigate();
  const client = useQueryClient();
  const [name, setName] = useKept("new bush", "");
  const [way, setWay] = useKept<"pipe" | "truck">("new bush way", "pipe");
  const [taps, setTaps] = useKept<number | null>("new bush taps", null);
  const slug = name
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-|-$/g, "")
    .slice(0, 40);
  const add = useMutation<unknown, Refusal>({
    mutationFn: () =>
      take(
        api.POST("/api/v1/operations/{operation}/bushes", {
          params: { path: { operation: operation.slug } },
          body: { slug, name: name.trim(), hauled: way === "truck", taps: way === "truck" ? Math.round(taps ?? 0) : 0 },
        }),
      ),
    onSuccess: async () => {
      setName("");
      await client.invalidateQueries({ queryKey: ["bushes", operation.slug] });
      navigate(`/${operation.slug}/bushbook/${slug}`);
    },
  });
  if (operation.role !== "owner") return <Empty title="No bush yet">Ask an owner to add one.</Empty>;
  return (
    <form
      className="mx-auto w-full max-w-md space-y-4 px-4 py-8"
      onSubmit={(event) => {
        event.preventDefault();
        add.mutate();
      }}
    >
      <h1 className="text-answer font-semibold">A bush</h1>
      <TextField
        label="What it is called"
        value={name}
        onValue={setName}
        error={add.error?.about("slug") ?? add.error?.about("name")}
      />
      <Choice
        label="Its sap comes"
        value={way}
        onValue={setWay}
        options={[
          ["pipe", "by pipe"],
          ["truck", "by truck"],
        ]}
      />
      {way === "truck" && (
        <NumberField
          label="taps"
          si={taps}
          onSi={setTaps}
          dimension="plain"
          unit=""
          digits={0}
          error={add.error?.about("taps")}
        />
      )}
      <Button kind="main" type="submit" disabled={!slug || add.isPending}>
        {way === "pipe" ? "Go on to its lines" : "Add it"}
      </Button>
    </form>
  );
}
