import "./app/theme.css";
import { QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { Problem } from "./api/client";
import { App, goAhead } from "./app/App";
import { Queries } from "./app/queries";
import { NoticesProvider } from "./ui/notices";

const queries = new Queries({
  defaultOptions: {
    queries: {
      staleTime: 30_000,
      retry: (failures, error) =>
        error instanceof Problem && (error.status === 0 || error.status >= 500) && failures < 3,
      refetchOnWindowFocus: false,
    },
  },
});

goAhead(queries);
const root = document.getElementById("root");
if (root)
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <BrowserRouter>
          <NoticesProvider>
            <App />
          </NoticesProvider>
        </BrowserRouter>
      </QueryClientProvider>
    </StrictMode>,
  );
