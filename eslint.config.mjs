// What every script of the page is held to (tests/architecture/test_page.py): short functions, few branches, no leftovers.

export default [
  {
    files: ["src/fern_tide/web/static/js/**/*.js"],
    rules: {
      "max-lines-per-function": ["error", { max: 60, skipComments: true }],
      complexity: ["error", 15],
      "max-depth": ["error", 3],
      "max-lines": ["error", 300],
      "no-unused-vars": "error",
      "no-var": "error",
      "prefer-const": "error",
      eqeqeq: "error",
    },
  },
];
