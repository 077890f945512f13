import a11y from "eslint-plugin-jsx-a11y";
import hooks from "eslint-plugin-react-hooks";
import typescript from "typescript-eslint";

export default typescript.config(
  { ignores: ["node_modules", "src/api/contract.d.ts"] },
  ...typescript.configs.recommended,
  hooks.configs.flat["recommended-latest"],
  a11y.flatConfigs.recommended,
  {
    rules: {
      // What scrolls has to be reached by key: it is a group with a name.
      "jsx-a11y/no-noninteractive-tabindex": ["error", { tags: [], roles: ["group"] }],
      "jsx-a11y/label-has-associated-control": ["error", { controlComponents: ["Input"] }],
      // A page for logging in has one thing to do.
      "jsx-a11y/no-autofocus": ["error", { ignoreNonDOM: true }],
    },
  },
);
