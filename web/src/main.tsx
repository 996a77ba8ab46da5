import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { App as AntApp, ConfigProvider } from "antd";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { App } from "./App";
import { ApiError } from "./api/client";
import "./i18n";
import { SettingsProvider, useSettings } from "./ui/settings";
import "./ui/theme.css";
import { antdTheme } from "./ui/theme";

const client = new QueryClient({
  defaultOptions: {
    queries: { retry: (n, e) => !(e instanceof ApiError) && n < 2, staleTime: 5000 },
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
