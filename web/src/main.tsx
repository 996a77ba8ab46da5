import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { App as AntApp, ConfigProvider } from "antd";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { ApiError, setKeeper } from "./api/client";
import { App } from "./app/App";
import { answers } from "./offline/db";
import "./i18n";
import { SettingsProvider, useSettings } from "./ui/settings";
import "./ui/theme.css";
import { antdTheme } from "./ui/theme";

setKeeper(answers);

const client = new QueryClient({
  defaultOptions: {
    // What this device keeps answers for the server while there is no signal, so a question is asked even offline.
    queries: { retry: (n, e) => !(e instanceof ApiError) && n < 2, staleTime: 5000, networkMode: "always" },
    mutations: { networkMode: "always" },
  },
});
const nonce = document.querySelector<HTMLMetaElement>('meta[name="csp-nonce"]')?.content;

function Themed() {
  const { look } = useSettings();
  return (
    <ConfigProvider theme={antdTheme(look)} csp={{ nonce }} button={{ autoInsertSpace: false }}>
      <AntApp message={{ maxCount: 3 }}>
        <App />
      </AntApp>
    </ConfigProvider>
  );
}

const AGAIN_MS = 10_000;

/** Keeps the app itself on the device, so that it opens in a basement with no network. What broke off over a weak signal is tried again. */
async function keepApp() {
  await navigator.serviceWorker.register("/sw.js").catch(() => {});
  setTimeout(async () => {
    const kept = await navigator.serviceWorker.getRegistration().catch(() => undefined);
    if (!kept?.active) void keepApp();
  }, AGAIN_MS);
}
if (import.meta.env.PROD && "serviceWorker" in navigator) void keepApp();

createRoot(document.getElementById("root") as HTMLElement).render(
  <StrictMode>
    <QueryClientProvider client={client}>
      <SettingsProvider>
        <BrowserRouter>
          <Themed />
        </BrowserRouter>
      </SettingsProvider>
    </QueryClientProvider>
  </StrictMode>,
);
