import type { ApplicationInfo } from '@jadefence/contract';
import { BUILT_IN_APPLICATIONS } from '@jadefence/core/check';
import { findUses, type Configuration } from '@jadefence/core/edit';
import { printCondition, printStatement, type ApplicationStatement } from '@jadefence/core/language';
import { checkStored } from '../draft/snapshots.js';

/** The catalogue: the applications of the draft, then the built-in ones. */
export function listApplications(configuration: Configuration): ApplicationInfo[] {
  const defined = checkStored(configuration)
    .files.flatMap(({ statements }) => statements)
    .filter((statement) => statement.kind === 'application');
  const all = [
    ...defined.map((application) => ({ application, isBuiltIn: false })),
    ...BUILT_IN_APPLICATIONS.map((application) => ({ application, isBuiltIn: true })),
  ];
  return all.map(({ application, isBuiltIn }) => present(application, isBuiltIn, configuration));
}

function present(application: ApplicationStatement, isBuiltIn: boolean, { parts }: Configuration): ApplicationInfo {
  const { name, title, category, risk, ports, needs, over, signatures } = application;
  return {
    name,
    ...(title === undefined ? {} : { title }),
    ...(category === undefined ? {} : { category }),
    ...(risk === undefined ? {} : { risk }),
    ports: ports.map(({ transport, port }) => `${transport}/${port}`),
    needs: needs.map((need) => need.name),
    ...(over ? { over: over.name } : {}),
    signatures: signatures.map(printCondition),
    isBuiltIn,
    text: printStatement(application),
    usedBy: findUses(parts, 'application', name),
  };
}
