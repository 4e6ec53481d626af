import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { App } from "./app/App";
import "./app/theme";
import "./index.css";
import { beginSpeaking } from "./words/language";

const client = new QueryClient({ defaultOptions: { queries: { refetchOnWindowFocus: false, retry: 1 } } });

void beginSpeaking().then(() =>
  createRoot(document.getElementById("root")!).render(
    <StrictMode>
      <QueryClientProvider client={client}>
        <App />
      </QueryClientProvider>
    </StrictMode>,
  ),
);

// Where it is allowed, a page says that the program is away instead of the browser.
if ("serviceWorker" in navigator && isSecureContext) navigator.serviceWorker.register("/away.js").catch(() => {});
