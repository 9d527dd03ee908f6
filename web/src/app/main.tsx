import { QueryClient, QueryClientProvider, useQuery } from "@tanstack/react-query";
import { RouterProvider } from "@tanstack/react-router";
import { StrictMode, useEffect } from "react";
import { createRoot } from "react-dom/client";
import { api, onSignedOut, Refusal } from "../client/api";
import { listen } from "../client/live";
import { router } from "./routes";
import { SignIn } from "./SignIn";
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
  return (
    <QueryClientProvider client={queries}>
      <Station />
    </QueryClientProvider>
  );
}

/** The pages, behind the door where there is one. */
function Station() {
  const session = useQuery({
    queryKey: ["session"],
    queryFn: api.session,
    staleTime: Number.POSITIVE_INFINITY,
  });
  useEffect(() => onSignedOut(() => void queries.invalidateQueries({ queryKey: ["session"] })), []);
  const outside = Boolean(session.data?.needed && session.data.name === null);
  useEffect(() => (outside ? undefined : listen(queries)), [outside]);
  // A server that does not answer is said by each page, which shows what it has.
  return outside ? <SignIn /> : <RouterProvider router={router} />;
}

const root = document.getElementById("root");
if (root)
  createRoot(root).render(
    <StrictMode>
      <App />
    </StrictMode>,
  );
