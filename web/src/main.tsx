import "@fontsource-variable/source-sans-3/wght.css";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { Toaster } from "sonner";

import { App } from "./pages/App";
import "./ui/theme.css";

const queries = new QueryClient({ defaultOptions: { queries: { refetchOnWindowFocus: false, retry: 1 } } });

createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <App />
      <Toaster
        position="bottom-center"
        offset={{ bottom: "var(--below-picture, 24px)" }}
        toastOptions={{ className: "wg-toast", duration: 7000 }}
      />
    </QueryClientProvider>
  </StrictMode>,
);
