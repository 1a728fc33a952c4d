// Says which types of the page's scripts do not fit. Libraries beside them are read and not checked: others keep them.
import ts from "typescript";

const given = ts.getParsedCommandLineOfConfigFile("tsconfig.json", {}, { ...ts.sys, onUnRecoverableConfigFileDiagnostic: console.error });
const program = ts.createProgram(given.fileNames, given.options);
const found = given.fileNames.flatMap((name) => {
  const file = program.getSourceFile(name);
  return [...program.getSyntacticDiagnostics(file), ...program.getSemanticDiagnostics(file)];
});
const host = { getCanonicalFileName: (name) => name, getCurrentDirectory: () => process.cwd(), getNewLine: () => "\n" };
process.stdout.write(ts.formatDiagnostics(found, host));
process.exitCode = found.length || given.fileNames.length === 0 ? 1 : 0;
