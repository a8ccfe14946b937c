import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { createContext, type ReactNode, useContext, useEffect, useState } from "react";
import { api, type Shapes, take } from "../lib/api";
import type { System } from "../lib/units";
import { likes } from "./likes";

type Session = Shapes["SessionOut"];
type Operation = Shapes["OperationOut"];

const Here = createContext<{ session: Session; operation: Operation } | null>(null);

export function useSession() {
  return useQuery({ queryKey: ["session"], queryFn: () => take(api.GET("/api/v1/session")), staleTime: 60_000 });
}

/** The session and the operation whose rooms are open. */
export function HereProvider(props: { session: Session; operation: Operation; children: ReactNode }) {
  return <Here.Provider value={{ session: props.session, operation: props.operation }}>{props.children}</Here.Provider>;
}

export function useHere() {
  const here = useContext(Here);
  if (!here) throw new Error("outside of an operation");
  return here;
}

export function useSystem(): System {
  return useContext(Here)?.session.units === "metric" ? "metric" : "us";
}

export function useMayWrite(): boolean {
  return useHere().operation.role !== "viewer";
}

export function usePreferences() {
  return useMutation(likes(useQueryClient()));
}

/** Sets the page's theme: the person's choice, else the device's; a room may ask for night. */
export function useTheme(choice: string, night: boolean) {
  const [dark, setDark] = useState(() => matchMedia("(prefers-color-scheme: dark)").matches);
  useEffect(() => {
    const query = matchMedia("(prefers-color-scheme: dark)");
    const listen = () => setDark(query.matches);
    query.addEventListener("change", listen);
    return () => query.removeEventListener("change", listen);
  }, []);
  const theme = choice === "device" ? (dark || night ? "night" : "day") : choice;
  useEffect(() => {
    document.documentElement.dataset.theme = theme;
  }, [theme]);
}
