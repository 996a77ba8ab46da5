import react from "@vitejs/plugin-react";
import { VitePWA } from "vite-plugin-pwa";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [
    react(),
    VitePWA({
      registerType: "autoUpdate",
      injectRegister: false,
      includeAssets: ["icon.svg"],
      manifest: {
        name: "Rhabdon",
        short_name: "Rhabdon",
        description: "Connectors on premises fiber: planned, guided, judged, kept.",
        display: "standalone",
        background_color: "#f4f1ea",
        theme_color: "#0f5e63",
        icons: [{ src: "/icon.svg", sizes: "any", type: "image/svg+xml", purpose: "any" }],
      },
      workbox: {
        inlineWorkboxRuntime: true,
        globPatterns: ["**/*.{js,css,html,svg,woff2}"],
        navigateFallback: "/index.html",
        navigateFallbackDenylist: [/^\/api\//, /^\/openapi\//, /^\/trust/],
        maximumFileSizeToCacheInBytes: 4_000_000,
      },
    }),
  ],
  build: { manifest: true, chunkSizeWarningLimit: 1500 },
  server: { proxy: { "/api": "http://127.0.0.1:5080" } },
  test: { include: ["src/**/*.test.{ts,tsx}", "scripts/*.test.mjs"], testTimeout: 30_000 },
});
