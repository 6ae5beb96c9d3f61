import importing from "eslint-plugin-import";
import a11y from "eslint-plugin-jsx-a11y";
import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

/** The rooms of the page, each with those that it may know besides itself. What is not named it must not know. */
const ROOMS = {
  api: [],
  ui: [],
  shapes: ["api"],
  state: ["api", "shapes"],
  commands: ["api", "shapes", "state"],
  viewer: ["api", "ui", "shapes", "state", "commands"],
  panels: ["api", "ui", "shapes", "state", "commands"],
  strip: ["api", "ui", "shapes", "state", "commands"],
  pages: ["api", "ui", "shapes", "state", "commands", "viewer", "panels", "strip"],
};

const zones = Object.entries(ROOMS).flatMap(([room, known]) =>
  Object.keys(ROOMS)
    .filter((other) => other !== room && !known.includes(other))
    .map((other) => ({
      target: `./src/${room}`,
      from: `./src/${other}`,
      message: `${room} must not know ${other}: arrows between rooms point one way.`,
    })),
);

export default tseslint.config(...tseslint.configs.recommended, a11y.flatConfigs.recommended, {
  files: ["src/**/*.{ts,tsx}"],
  ignores: ["src/api/schema.d.ts"],
  plugins: { "react-hooks": hooks, import: importing },
  settings: { "import/resolver": { typescript: true } },
  rules: {
    "react-hooks/rules-of-hooks": "error",
    "react-hooks/exhaustive-deps": "error",
    "import/no-restricted-paths": ["error", { zones }],
    "max-lines": ["error", { max: 400, skipComments: false, skipBlankLines: false }],
  },
});
