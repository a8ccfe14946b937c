import type { Shapes } from "../../lib/api";

export type Run = Shapes["RunOut"];
