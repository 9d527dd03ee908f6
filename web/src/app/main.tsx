import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { RouterProvider } from "@tanstack/react-router";
import { StrictMode, useEffect } from "react";
import { createRoot } from "react-dom/client";
import { Refusal } from "../client/api";
import { listen } from "../client/live";
import { router } from "./routes";
import "./theme.css";

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 5_000,
      // A refusal will not change by asking again; silence may.
      retry: (failures, error) => failures < 2 && !(error instanceof Refusal && error.fields.length > 0),
    },
  },
});

function App() {
  useEffect(() => listen(queries), []);
  return (
    <QueryClientProvider client={queries}>
      <RouterProvider router={router} />
    </QueryClientProvider>
  );
}

const root = document.getElementById("root");
if (root)
  createRoot(root).render(
    <StrictMode>
      <App />
    </StrictMode>,
  );
