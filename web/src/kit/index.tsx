import { type ReactNode, useEffect, useId, useState } from "react";
import { useSystem } from "../app/session";
import { SHORTFALL, stateOf } from "../drawing/scales";
import type { Fault } from "../lib/api";
import { type Dimension, digitsOf, figure, number, read, shown, unitOf } from "../lib/units";

export function Button({
  kind = "plain",
  ...rest
}: { kind?: "plain" | "main" | "big" } & React.ComponentPropsWithRef<"button">) {
  const looks = {
    plain: "border border-rule px-3 py-1.5 hover:border-ink",
    main: "bg-amber text-on-amber px-4 py-2 font-semibold hover:brightness-110",
    big: "border-2 border-rule px-4 py-4 text-figure font-semibold hover:border-amber min-h-16",
  };
  return (
    <button
      type="button"
      {...rest}
      className={`rounded-sm disabled:opacity-50 ${looks[kind]} ${rest.className ?? ""}`}
    />
  );
}

/** A value with its unit smaller and lighter; words where there is none. */
export function Quantity({
  si,
  dimension,
  digits,
  stale = false,
}: {
  si: number | null | undefined;
  dimension: Dimension;
  digits?: number;
  stale?: boolean;
}) {
  const system = useSystem();
  if (si === null || si === undefined) return <span className="text-soft">no reading</span>;
  return (
    <span className={stale ? "text-soft line-through decoration-dotted" : undefined}>
      {number(si, dimension, system, digits)}
      <Unit>{unitOf(dimension, system)}</Unit>
    </span>
  );
}

export function Unit({ children }: { children: ReactNode }) {
  return <span className="unit ml-[0.2em] text-[0.62em] font-normal text-soft">{children}</span>;
}

/** Shape and word of a line's state; colour only underlines them. */
export function StateMark({ state, wordless = false }: { state: string; wordless?: boolean }) {
  const { colour, word } = SHORTFALL[stateOf(state)];
  const shapes = {
    holding: <path d="M1 6h10" strokeWidth="2" />,
    slipping: <path d="M1 3l5 3 5 3" strokeWidth="2.5" fill="none" />,
    losing: <path d="M1 1l5 4 5-4M1 7l5 4 5-4" strokeWidth="2.5" fill="none" />,
    silent: <path d="M1 6h2M5 6h2M9 6h2" strokeWidth="2" />,
  };
  return (
    <span className="inline-flex items-center gap-1.5 whitespace-nowrap" style={{ color: colour }}>
      <svg width="12" height="12" viewBox="0 0 12 12" stroke="currentColor" aria-hidden="true">
        {shapes[stateOf(state)]}
      </svg>
      <span className={wordless ? "sr-only" : state === "losing" ? "font-semibold" : ""}>{word}</span>
    </span>
  );
}

/** A numeric field in the person's units that holds SI. What is typed stays as typed, right or wrong. */
export function NumberField({
  label,
  si,
  onSi,
  dimension,
  digits,
  error,
  hint,
  big = false,
  unit,
  scale = 1,
}: {
  label: string;
  si: number | null;
  onSi: (si: number | null, text: string) => void;
  dimension: Dimension;
  digits?: number;
  error?: string | Fault;
  hint?: ReactNode;
  big?: boolean;
  unit?: string;
  scale?: number;
}) {
  const id = useId();
  const system = useSystem();
  const places = digits ?? digitsOf(dimension, system);
  const asText = si === null ? "" : figure(shown(si * scale, dimension, system), places).replaceAll(",", "");
  const [draft, setDraft] = useState<string | null>(null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another unit system makes a typed draft wrong
  useEffect(() => setDraft(null), [system]);
  const wrong = draft !== null && draft.trim() !== "" && read(draft, dimension, system) === null;
  const message = wrong
    ? `“${draft}” is not a number`
    : typeof error === "object"
      ? outOfRange(
          error,
          si,
          (value) => `${figure(shown(value * scale, dimension, system), places)} ${unit ?? unitOf(dimension, system)}`,
        )
      : error;
  return (
    <div className="min-w-0">
      <div className="flex items-baseline justify-between gap-2 text-label text-soft">
        <label htmlFor={id} className="truncate">
          {label}
        </label>
        {hint}
      </div>
      <div
        className={`flex items-baseline border-b ${message ? "border-act" : "border-rule"} focus-within:border-amber`}
      >
        <input
          id={id}
          inputMode="decimal"
          autoComplete="off"
          value={draft ?? asText}
          aria-invalid={Boolean(message)}
          aria-describedby={message ? `${id}-error` : undefined}
          onChange={(event) => {
            setDraft(event.target.value);
            const value = read(event.target.value, dimension, system);
            onSi(value === null ? null : value / scale, event.target.value);
          }}
          onBlur={() => {
            if (!wrong && draft !== null && draft.trim() !== "") setDraft(null);
          }}
          className={`w-full min-w-0 bg-transparent py-0.5 font-mono outline-offset-4 ${big ? "text-answer" : "text-body"}`}
        />
        <span className="shrink-0 pl-1 text-label text-soft">{unit ?? unitOf(dimension, system)}</span>
      </div>
      {message && (
        <p id={`${id}-error`} role="alert" className="mt-0.5 text-label font-semibold text-act">
          {message}
        </p>
      )}
    </div>
  );
}

export function TextField({
  label,
  value,
  onValue,
  type = "text",
  error,
  autoComplete = "off",
}: {
  label: string;
  value: string;
  onValue: (value: string) => void;
  type?: string;
  error?: string | Fault;
  autoComplete?: string;
}) {
  const id = useId();
  return (
    <div>
      <label htmlFor={id} className="block text-label text-soft">
        {label}
      </label>
      <input
        id={id}
        type={type}
        value={value}
        autoComplete={autoComplete}
        aria-invalid={Boolean(error)}
        onChange={(event) => onValue(event.target.value)}
        className={`w-full border-b bg-transparent py-1 ${error ? "border-act" : "border-rule"}`}
      />
      {error && (
        <p role="alert" className="mt-0.5 text-label font-semibold text-act">
          {typeof error === "object" ? error.message : error}
        </p>
      )}
    </div>
  );
}

/** A number out of its range, in the units in which it was typed. */
export function outOfRange(fault: Fault, si: number | null, say: (si: number) => string): string {
  const { low, high } = fault;
  // the bounds are this field's own only where the fault speaks of what stands in it
  const own = typeof fault.value === "number" && si !== null && Math.abs(fault.value - si) <= 1e-6 * Math.abs(si);
  if (!own || (low == null && high == null)) return fault.message;
  if (low != null && high != null) return `${say(si)} is outside ${say(low)} to ${say(high)}`;
  return low != null
    ? `${say(si)} is too little: ${say(low)} or more`
    : `${say(si)} is too much: ${say(high as number)} or less`;
}

/** A few choices side by side. */
export function Choice<T extends string>({
  label,
  value,
  options,
  onValue,
  inline = false,
}: {
  label: string;
  value: T;
  options: [T, string][];
  onValue: (value: T) => void;
  inline?: boolean;
}) {
  const name = useId();
  return (
    <fieldset className={`min-w-0 ${inline ? "flex items-baseline gap-x-2" : ""}`}>
      <legend className={`text-label text-soft ${inline ? "float-left mr-2 py-0.5" : ""}`}>{label}</legend>
      <div className="flex flex-wrap gap-x-3">
        {options.map(([option, text]) => (
          <label
            key={option}
            className={`cursor-pointer border-b-2 py-0.5 has-focus-visible:outline-3 has-focus-visible:outline-amber ${option === value ? "border-amber font-semibold" : "border-transparent text-soft"}`}
          >
            <input
              type="radio"
              name={name}
              className="sr-only"
              checked={option === value}
              onChange={() => onValue(option)}
            />
            {text}
          </label>
        ))}
      </div>
    </fieldset>
  );
}

/** One of many, as a list that opens. */
export function Pick({
  label,
  value,
  options,
  onValue,
  wordless = false,
}: {
  label: string;
  value: string;
  options: [string, string][];
  onValue: (value: string) => void;
  wordless?: boolean;
}) {
  const id = useId();
  return (
    <div className="min-w-0">
      <label htmlFor={id} className={wordless ? "sr-only" : "block text-label text-soft"}>
        {label}
      </label>
      <div className="relative">
        <select
          id={id}
          value={value}
          onChange={(event) => onValue(event.target.value)}
          className="w-full cursor-pointer appearance-none border-b border-rule bg-transparent py-1 pr-5 max-sm:min-h-11"
        >
          {options.map(([option, text]) => (
            <option key={option} value={option} className="bg-sheet text-ink">
              {text}
            </option>
          ))}
        </select>
        <svg viewBox="0 0 10 6" className="pointer-events-none absolute right-1 top-1/2 h-1.5 w-2.5" aria-hidden="true">
          <path d="M0 0l5 6 5-6z" fill="var(--soft)" />
        </svg>
      </div>
    </div>
  );
}

/** A part of a screen that scrolls in itself, by the arrow keys too. */
export function Scroll({
  label,
  className = "",
  children,
}: {
  label: string;
  className?: string;
  children: ReactNode;
}) {
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: the arrow keys need the focus somewhere
    <section aria-label={label} tabIndex={0} className={`overflow-auto ${className}`}>
      {children}
    </section>
  );
}

/** The usual caution where the risk is: short, once, ending with the local authority. */
export function Caution({ children }: { children: ReactNode }) {
  return (
    <p className="border-l-4 border-amber pl-2 text-label text-soft">
      {children} Follow the maker's manual and local code.
    </p>
  );
}

/** Something that is not there yet: what will be, and the one step that fills it. */
export function Empty({ title, children }: { title: string; children: ReactNode }) {
  return (
    <div className="m-auto max-w-md p-8 text-center">
      <p className="text-figure font-semibold">{title}</p>
      <p className="mt-2 text-soft">{children}</p>
    </div>
  );
}
