import { useQuery } from "@tanstack/react-query";
import { NavLink, useParams } from "react-router";
import { useHere, useSystem } from "../../app/session";
import { Choice, NumberField, TextField, Unit } from "../../kit";
import { Refusal, take } from "../../lib/api";
import { useKept } from "../../lib/keep";
import { type Dimension, figure, money, number, unitOf } from "../../lib/units";
import { type Answer, SUMS, type Sum } from "./sums";

type Values = Record<string, number | string | boolean>;

/** A quick sum with its working. */
export default function Bench() {
  const { operation } = useHere();
  const { sum: asked } = useParams();
  const sum = SUMS.find((one) => one.name === asked) ?? SUMS[0];
  if (!sum) return null;
  return (
    <div className="grid min-h-0 flex-1 gap-x-10 px-4 pb-4 lg:grid-cols-[13rem_minmax(0,1fr)]">
      <nav aria-label="Calculators" className="max-lg:mb-3">
        <ul className="flex flex-wrap gap-x-4 lg:block">
          {SUMS.map((one) => (
            <li key={one.name}>
              <NavLink
                to={`/${operation.slug}/bench/${one.name}`}
                className={`block border-rule py-2 lg:border-t ${one === sum ? "font-semibold text-amber" : "hover:text-amber"}`}
              >
                {one.title}
              </NavLink>
            </li>
          ))}
        </ul>
      </nav>
      <Worked sum={sum} key={sum.name} />
    </div>
  );
}

function Worked({ sum }: { sum: Sum }) {
  const system = useSystem();
  const start = Object.fromEntries(sum.fields.map((field) => [field.key, field.start]));
  const [values, setValues] = useKept<Values>(`zucker.bench.${sum.name}`, start);
  const body = { ...start, ...values, units: system };
  const answer = useQuery({
    queryKey: ["bench", sum.name, body],
    queryFn: () => ask(sum.name, body),
    placeholderData: (before) => before,
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });
  const refusal = answer.error instanceof Refusal ? answer.error : null;
  const set = (key: string, value: number | string | boolean) => setValues({ ...values, [key]: value });
  return (
    <section aria-label={sum.title} className="grid content-start gap-x-12 gap-y-6 md:grid-cols-[18rem_minmax(0,1fr)]">
      <div>
        <h1 className="text-figure font-semibold">{sum.title}</h1>
        <p className="mb-3 text-soft">{sum.ask}</p>
        <div className="space-y-3">
          {sum.fields.map((field) => {
            const value = body[field.key as keyof typeof body];
            if (field.kind === "number") {
              return (
                <NumberField
                  key={field.key}
                  big
                  label={field.label}
                  dimension={field.dimension}
                  digits={field.digits}
                  unit={field.unit}
                  si={Number(value)}
                  onSi={(si) => si !== null && set(field.key, si)}
                  error={refusal?.about(field.key)}
                />
              );
            }
            if (field.kind === "text") {
              return (
                <TextField
                  key={field.key}
                  label={field.label}
                  value={String(value)}
                  onValue={(text) => set(field.key, text)}
                  error={refusal?.about(field.key)}
                />
              );
            }
            return (
              <Choice
                key={field.key}
                label={field.label}
                options={[
                  ["yes", field.on],
                  ["no", field.off],
                ]}
                value={value ? "yes" : "no"}
                onValue={(chosen) => set(field.key, chosen === "yes")}
              />
            );
          })}
        </div>
      </div>
      <div aria-live="polite" className={refusal ? "opacity-50" : ""}>
        {answer.data && <Answered answer={answer.data} />}
        {refusal && (
          <p role="alert" className="mt-3 font-semibold text-act">
            {refusal.faults.map((fault) => fault.message).join("; ")}
          </p>
        )}
      </div>
    </section>
  );
}

/** The calculators share one shape of answer but not of question, so the path is put together here. */
async function ask(name: string, body: Values): Promise<Answer> {
  const token = document.cookie.match(/(?:^|; )csrftoken=([^;]*)/)?.[1] ?? "";
  const response = await fetch(`/api/v1/bench/${name}`, {
    method: "POST",
    headers: { "Content-Type": "application/json", "X-CSRFToken": token },
    body: JSON.stringify(body),
  });
  const data = await response.json();
  return take<Answer>(Promise.resolve({ data, error: response.ok ? undefined : data, response }));
}

function Answered({ answer }: { answer: Answer }) {
  const [first, ...rest] = answer.figures;
  return (
    <>
      {first && (
        <>
          <p className="text-soft">{first.label}</p>
          <p className="huge">
            <Value figure={first} />
          </p>
          <p className="mt-1 text-soft">{answer.uncertainty}</p>
        </>
      )}
      {answer.grade && <p className="mt-2 text-answer font-semibold">{answer.grade}</p>}
      <dl className="mt-4 flex flex-wrap gap-x-10 gap-y-2">
        {rest.map((one) => (
          <div key={one.label}>
            <dt className="text-label text-soft">{one.label}</dt>
            <dd className="font-mono text-figure font-semibold">
              <Value figure={one} />
            </dd>
          </div>
        ))}
      </dl>
      <ol className="mt-5 max-w-prose space-y-1 border-t border-rule pt-3">
        {answer.working.map((line) => (
          <li key={line}>{line}</li>
        ))}
      </ol>
      <p className="mt-2 text-label text-soft">{answer.source}</p>
    </>
  );
}

function Value({ figure: { value, dimension, digits } }: { figure: Answer["figures"][number] }) {
  const system = useSystem();
  const { operation } = useHere();
  if (dimension === "money") return <>{money(value, operation.currency, digits)}</>;
  const known = (dimension === "pressure" ? "vacuum" : dimension) as Dimension;
  return (
    <>
      {dimension === "plain" ? figure(value, digits) : number(value, known, system, digits)}
      <Unit>{unitOf(known, system)}</Unit>
    </>
  );
}
