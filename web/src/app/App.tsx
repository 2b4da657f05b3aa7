/** Shell: theme, server state, events, addresses. */
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { App as AntApp, ConfigProvider } from "antd";
import { lazy, Suspense, useEffect } from "react";
import { createBrowserRouter, RouterProvider } from "react-router";
import { listen } from "../api/events";
import { Board } from "../board/Board";
import { theme } from "../ui/theme";

const Bench = lazy(() => import("../bench/Bench").then((m) => ({ default: m.Bench })));

const client = new QueryClient({
  defaultOptions: { queries: { staleTime: 60_000, retry: 1, refetchOnWindowFocus: false } },
});

const router = createBrowserRouter([
  { path: "/", element: <Board /> },
  {
    path: "/shots/:shotId",
    element: (
      <Suspense fallback={null}>
        <Bench />
      </Suspense>
    ),
  },
  { path: "*", element: <Board /> },
]);

export function App() {
  useEffect(() => listen(client), []);
  return (
    <ConfigProvider theme={theme}>
      <AntApp style={{ height: "100%" }} notification={{ placement: "bottomLeft" }}>
        <QueryClientProvider client={client}>
          <RouterProvider router={router} />
        </QueryClientProvider>
      </AntApp>
    </ConfigProvider>
  );
}
