/** Layers of the client: pure parts know no React, no components and no API; features do not know each other. */
const pure = "^src/bench/(viewer/math|model)/";
module.exports = {
  forbidden: [
    { name: "no-cycles", severity: "error", from: {}, to: { circular: true } },
    {
      name: "pure-parts",
      severity: "error",
      from: { path: pure },
      to: {
        path: "(node_modules/(react|antd|@ant-design|zustand|@tanstack)|^src/(ui|app|board)|^src/api/(client|queries|uploads|events))",
      },
    },
    { name: "features-apart", severity: "error", from: { path: "^src/board/" }, to: { path: "^src/bench/" } },
    { name: "features-apart-back", severity: "error", from: { path: "^src/bench/" }, to: { path: "^src/(board|app)/" } },
    { name: "ui-knows-no-feature", severity: "error", from: { path: "^src/(ui|api)/" }, to: { path: "^src/(board|bench|app)/" } },
  ],
  options: { tsConfig: { fileName: "tsconfig.json" }, tsPreCompilationDeps: true, doNotFollow: { path: "node_modules" } },
};
