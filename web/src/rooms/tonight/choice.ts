import type { Shapes } from "../../lib/api";

/** One target Brix with what it would mean, or why it is refused. */
export type Choice = Shapes["ChoiceOut"];
