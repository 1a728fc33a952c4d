// Says which types of the page's scripts do not fit. Libraries beside them are read and not checked: others keep them.
import ts from "typescript";

const settings = ts.getParsedCommandLineOfConfigFile("tsconfig.json", {}, { ...ts.sys, onUnRecoverableConfigFileDiagnostic: console.error });
const program = ts.createProgram(settings.fileNames, settings.options);
const misfits = settings.fileNames.flatMap((name) => {
  const file = program.getSourceFile(name);
  return [...program.getSyntacticDiagnostics(file), ...program.getSemanticDiagnostics(file)];
});
const host = { getCanonicalFileName: (name) => name, getCurrentDirectory: () => process.cwd(), getNewLine: () => "\n" };
process.stdout.write(ts.formatDiagnostics(misfits, host));
process.exitCode = misfits.length || settings.fileNames.length === 0 ? 1 : 0;
