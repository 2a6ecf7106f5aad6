export default { base: "./", build: { outDir: "built", assetsInlineLimit: 0, rollupOptions: { output: { entryFileNames: "page.js" } } } }
