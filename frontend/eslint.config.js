import reactHooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

export default tseslint.config(
    ...tseslint.configs.recommended,
    {
        plugins: { "react-hooks": reactHooks },
        rules: { "react-hooks/rules-of-hooks": "error", "react-hooks/exhaustive-deps": "error" },
    },
    { rules: { "@typescript-eslint/no-explicit-any": "error" } },
);
