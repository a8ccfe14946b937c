import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";
import { VitePWA } from "vite-plugin-pwa";

export default defineConfig({
  plugins: [
    react(),
    tailwindcss(),
    VitePWA({
      registerType: "autoUpdate",
      injectRegister: false,
      includeAssets: ["mark.svg", "icon-192.png"],
      manifest: {
        name: "Zucker",
        short_name: "Zucker",
        description: "Vacuum, membrane, evaporator and every gallon in between",
        start_url: "/",
        display: "standalone",
        background_color: "#f8f5ed",
        theme_color: "#f8f5ed",
        icons: [
          { src: "/icon-192.png", sizes: "192x192", type: "image/png" },
          { src: "/icon-512.png", sizes: "512x512", type: "image/png", purpose: "any" },
        ],
      },
      workbox: {
        // the whole interface is kept; the API never is: what it said last is kept by the interface itself
        globPatterns: ["**/*.{js,css,html,svg,png,woff2}"],
        navigateFallback: "/index.html",
        navigateFallbackDenylist: [/^\/api\//, /\.[a-z0-9]+$/],
        inlineWorkboxRuntime: true,
        cleanupOutdatedCaches: true,
      },
    }),
  ],
  build: { target: "es2022", assetsInlineLimit: 0, chunkSizeWarningLimit: 400 },
});
