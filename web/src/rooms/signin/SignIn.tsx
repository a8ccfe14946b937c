import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useTheme } from "../../app/session";
import { Button, TextField } from "../../kit";
import { api, Refusal, take } from "../../lib/api";
import { useKept } from "../../lib/keep";

const DEMO: [string, string, string][] = [
  ["marit", "owner", "Harrow Notch Sugarworks"],
  ["josef", "crew", "Harrow Notch Sugarworks"],
  ["guest", "viewer", "Harrow Notch Sugarworks"],
  ["elin", "owner", "Veldhoek Sugar Camp"],
];
const DEMO_PASSWORD = "sugar-on-snow";

export function SignIn({ demo }: { demo: boolean }) {
  useTheme("device", false);
  const client = useQueryClient();
  const [username, setUsername] = useKept("zucker.username", "");
  const [password, setPassword] = useState("");
  const signIn = useMutation({
    mutationFn: (who: { username: string; password: string }) => take(api.POST("/api/v1/session", { body: who })),
    onSuccess: (session) => client.setQueryData(["session"], session),
  });
  const refusal = signIn.error instanceof Refusal ? signIn.error : null;
  return (
    <main className="m-auto w-full max-w-4xl p-6">
      <svg viewBox="0 0 900 70" className="mb-6 w-full" aria-hidden="true">
        <path d="M0 20h330" stroke="#e3cd86" strokeWidth="16" fill="none" />
        <path d="M330 20c40 0 30 24 70 24h190" stroke="#d79a35" strokeWidth="9" fill="none" />
        <path d="M590 44c30 0 24 16 60 16h250" stroke="#8a4608" strokeWidth="4.5" fill="none" />
      </svg>
      <div className="grid gap-10 md:grid-cols-2">
        <form
          className="space-y-4"
          onSubmit={(event) => {
            event.preventDefault();
            signIn.mutate({ username, password });
          }}
        >
          <h1 className="text-answer font-semibold leading-none">Zucker</h1>
          <p className="text-soft">From the woods to the barrel, every gallon accounted for.</p>
          <TextField
            label="Name"
            value={username}
            onValue={setUsername}
            autoComplete="username"
            error={refusal?.about("username")}
          />
          <TextField
            label="Password"
            type="password"
            value={password}
            onValue={setPassword}
            autoComplete="current-password"
            error={refusal?.about("password") ?? refusal?.about("session")}
          />
          {signIn.error && !refusal && <p role="alert">No answer from the server. Try again.</p>}
          <Button kind="main" type="submit" disabled={signIn.isPending}>
            Sign in
          </Button>
        </form>
        {demo && (
          <section>
            <h2 className="font-semibold">This is a demo</h2>
            <p className="mb-2 text-soft">
              Everything in it is made up. Password for all:{" "}
              <code className="whitespace-nowrap font-mono text-ink">{DEMO_PASSWORD}</code>
            </p>
            <ul>
              {DEMO.map(([name, role, place]) => (
                <li key={name}>
                  <button
                    type="button"
                    className="w-full border-b border-rule py-2 text-left hover:border-amber"
                    onClick={() => signIn.mutate({ username: name, password: DEMO_PASSWORD })}
                  >
                    <span className="font-semibold">{name}</span>
                    <span className="text-soft">
                      , {role} at {place}
                    </span>
                  </button>
                </li>
              ))}
            </ul>
          </section>
        )}
      </div>
    </main>
  );
}
