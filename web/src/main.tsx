import "@fontsource/atkinson-hyperlegible-next/400.css";
import "@fontsource/atkinson-hyperlegible-next/600.css";
import "@fontsource/atkinson-hyperlegible-mono/400.css";
import "@fontsource/atkinson-hyperlegible-mono/600.css";
import "./app/style.css";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { App } from "./app/App";
import { Refusal } from "./lib/api";
import { keepAnswers } from "./lib/offline";

const client = new QueryClient({
  defaultOptions: {
    queries: {
      retry: (failures, error) => !(error instanceof Refusal) && failures < 2,
      refetchOnWindowFocus: true,
      // the sugarhouse's own network may work while the device calls itself offline
      networkMode: "always",
      staleTime: 4000,
      // what was seen stays for a day without coverage
      gcTime: 86_400_000,
    },
    mutations: { networkMode: "always" },
  },
});

// the interface stays on this device; a new version is used from the next load on, never under somebody's hands
if (import.meta.env.PROD) navigator.serviceWorker?.register("/sw.js").catch(() => undefined);
// a part of an older version that is gone: load the new one
addEventListener("vite:preloadError", () => location.reload());
const root = document.getElementById("root");
await keepAnswers(client);
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={client}>
        <BrowserRouter>
          <App />
        </BrowserRouter>
      </QueryClientProvider>
    </StrictMode>,
  );
}
