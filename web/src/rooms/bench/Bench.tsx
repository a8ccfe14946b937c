import { useQuery } from "@tanstack/react-query";
import { NavLink, useNavigate, useParams } from "react-router";
import { useHere, useSystem } from "../../app/session";
import { Choice, NumberField, TextField, Unit } from "../../kit";
import { Refusal, take } from "../../lib/api";
import { useKept } from "../../lib/keep";
import { type Dimension, figure, money, number, unitOf } from "../../lib/units";
import { type Answer, listed, SUBJECTS, SUMS, type Sum } from "./sums";

const GALLON = 3.785411784e-3;
type Values = Record<string, number | string | boolean>;

/** A quick sum with its working. */
export default function Bench() {
  const { operation } = useHere();
  const { sum: asked } = useParams();
  const navigate = useNavigate();
  const sum = SUMS.find((one) => one.name === asked) ?? SUMS[0];
  if (!sum) return null;
  return (
    <div className="grid min-h-0 flex-1 gap-x-10 px-4 pb-4 lg:grid-cols-[24rem_minmax(0,1fr)]">
      <nav aria-label="Calculators" className="max-lg:hidden lg:columns-2 lg:gap-6 lg:self-start">
        {SUBJECTS.map((subject) => (
          <section key={subject.title} aria-label={subject.title} className="mb-3 break-inside-avoid">
            <h2 className="text-label text-soft">{subject.title}</h2>
            <ul>
              {subject.sums.map((one) => (
                <li key={one.name}>
                  <NavLink
                    to={`/${operation.slug}/bench/${one.name}`}
                    className={`block border-t border-rule py-1.5 ${one === sum ? "font-semibold text-amber" : "hover:text-amber"}`}
                  >
                    {one.title}
                  </NavLink>
                </li>
              ))}
            </ul>
          </section>
        ))}
      </nav>
      <label className="mb-3 block lg:hidden">
        <span className="block text-label text-soft">Sum</span>
        <select
          className="w-full border-b border-rule bg-paper py-2 text-figure font-semibold"
          value={sum.name}
          onChange={(event) => navigate(`/${operation.slug}/bench/${event.target.value}`)}
        >
          {SUBJECTS.map((subject) => (
            <optgroup key={subject.title} label={subject.title}>
              {subject.sums.map((one) => (
                <option key={one.name} value={one.name}>
                  {one.title}
                </option>
              ))}
            </optgroup>
          ))}
        </select>
      </label>
      <Worked sum={sum} key={sum.name} />
    </div>
  );
}

function Worked({ sum }: { sum: Sum }) {
  const system = useSystem();
  const { operation } = useHere();
  const start = Object.fromEntries(sum.fields.map((field) => [field.key, field.start]));
  const [values, setValues] = useKept<Values>(`zucker.bench.${sum.name}`, start);
  const body = { ...start, ...values, units: system };
  const answer = useQuery({
    queryKey: ["bench", sum.name, body],
    queryFn: () => ask(sum.name, listed(body)),
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
                  big={sum.fields.length <= 5}
                  label={field.label}
                  dimension={field.dimension}
                  digits={field.digits}
                  unit={field.price ? `${operation.currency} a ${system === "us" ? "gal" : "L"}` : field.unit}
                  scale={field.price ? (system === "us" ? GALLON : 1e-3) : 1}
                  si={Number(value)}
                  onSi={(si) => si !== null && set(field.key, si)}
                  error={refusal?.about(field.key)}
                />
              );
            }
            if (field.kind === "pick") {
              return (
                <Choice
                  key={field.key}
                  label={field.label}
                  options={field.options}
                  value={String(value)}
                  onValue={(chosen) => set(field.key, chosen)}
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
async function ask(name: string, body: object): Promise<Answer> {
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
  if (dimension === "watts") return <>{figure(value / 1000, 2)} kW</>;
  const known = dimension as Dimension;
  return (
    <>
      {dimension === "plain" ? figure(value, digits) : number(value, known, system, digits)}
      <Unit>{unitOf(known, system)}</Unit>
    </>
  );
}
