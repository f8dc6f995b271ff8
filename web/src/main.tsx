import "bootstrap/dist/css/bootstrap.min.css";
import "@fontsource-variable/bricolage-grotesque/wght.css";
import "@fontsource-variable/instrument-sans/wght.css";
import "@fontsource-variable/martian-mono/wght.css";
import "./theme.css";
import "./frame.css";
import "./bench.css";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { ApiError } from "./api/client";
import { PlayerProvider } from "./audio/usePlayer";
import { App } from "./frame/App";
import { NoticesProvider } from "./frame/notices";

/** Once more, but not what was stopped. */
const again = (failures: number, error: Error) =>
  failures < 1 && !(error instanceof ApiError && error.type === "juglant:stopped");
const cache = new QueryClient({
  defaultOptions: { queries: { retry: again, refetchOnWindowFocus: true } },
});

createRoot(document.getElementById("root") as HTMLElement).render(
  <StrictMode>
    <QueryClientProvider client={cache}>
      <PlayerProvider>
        <NoticesProvider>
          <BrowserRouter>
            <App />
          </BrowserRouter>
        </NoticesProvider>
      </PlayerProvider>
    </QueryClientProvider>
  </StrictMode>,
);
