import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { useHere } from "../../app/session";
import { Empty } from "../../kit";
import { api, type Shapes, take } from "../../lib/api";
import { Ages } from "./Ages";
import { useBook } from "./book";
import { Changes } from "./Changes";
import { Files } from "./Files";
import { Gauges } from "./Gauges";
import { Lines } from "./Lines";
import { Mainlines } from "./Mainlines";
import { NewBush } from "./NewBush";
import { Points } from "./Points";
import { Sketch } from "./Sketch";
import { Tapping } from "./Tapping";

const PARTS: [string, string][] = [
  ["mainlines", "Mainlines"],
  ["lines", "Pipes"],
  ["points", "Points and gauges"],
  ["tapping", "Tapping"],
  ["ages", "Age and cut list"],
  ["gauges", "Next gauge"],
  ["files", "Files"],
  ["changes", "Changes"],
];

/** What is where, how old, what next year? */
export default function BushBook() {
  const { operation } = useHere();
  const { bush: asked, part = "mainlines" } = useParams();
  const bushes = useQuery({
    queryKey: ["bushes", operation.slug],
    queryFn: () =>
      take(api.GET("/api/v1/operations/{operation}/bushes", { params: { path: { operation: operation.slug } } })),
  });
  if (!bushes.data) return null;
  const bush = bushes.data.find((one) => one.slug === asked) ?? bushes.data[0];
  if (asked === "new" || !bush) return <NewBush />;
  return (
    <div className="flex min-h-0 flex-1 flex-col px-4 pb-2">
      <nav aria-label="Bush book" className="flex flex-wrap items-baseline gap-x-5 border-b border-ink pb-1">
        {bushes.data.map((one) => (
          <Tab key={one.slug} to={`/${operation.slug}/bushbook/${one.slug}/${part}`} here={one.slug === bush.slug} big>
            {one.name}
          </Tab>
        ))}
        {operation.role === "owner" && (
          <Tab to={`/${operation.slug}/bushbook/new`} here={false}>
            add a bush
          </Tab>
        )}
      </nav>
      <Body bush={bush} part={part} />
    </div>
  );
}

function Tab({ to, here, big = false, children }: { to: string; here: boolean; big?: boolean; children: string }) {
  return (
    <Link
      to={to}
      aria-current={here ? "page" : undefined}
      className={`border-b-2 py-0.5 ${big ? "text-figure font-semibold" : "text-label"} ${here ? "border-amber text-ink" : "border-transparent text-soft hover:text-ink"}`}
    >
      {children}
    </Link>
  );
}

function Body({ bush, part }: { bush: Shapes["BushRow"]; part: string }) {
  const { operation } = useHere();
  const book = useBook(bush.slug);
  if (bush.hauled) {
    return (
      <Empty title={`${bush.taps} taps, by truck`}>
        Its sap comes in loads. There are no lines to keep; loads are entered when they arrive.
      </Empty>
    );
  }
  if (!bush.surveyed) return <Sketch bush={bush.slug} />;
  if (!book.data) return null;
  const parts =
    bush.schematic && operation.role === "owner" ? [...PARTS, ["sketch", "The list"] as [string, string]] : PARTS;
  return (
    <>
      <nav aria-label={bush.name} className="flex flex-wrap gap-x-4 py-1 text-label">
        {parts.map(([name, text]) => (
          <Tab key={name} to={`/${operation.slug}/bushbook/${bush.slug}/${name}`} here={name === part}>
            {text}
          </Tab>
        ))}
      </nav>
      <div className="flex min-h-0 flex-1 flex-col">
        {part === "mainlines" && <Mainlines book={book.data} />}
        {part === "lines" && <Lines book={book.data} />}
        {part === "points" && <Points book={book.data} />}
        {part === "tapping" && <Tapping book={book.data} />}
        {part === "ages" && <Ages book={book.data} />}
        {part === "gauges" && <Gauges bush={bush.slug} />}
        {part === "files" && <Files bush={bush.slug} />}
        {part === "changes" && <Changes bush={bush.slug} />}
        {part === "sketch" && <Sketch bush={bush.slug} book={book.data} />}
      </div>
    </>
  );
}
