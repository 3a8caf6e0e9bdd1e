// The wire records that these pages read. Their types are made from the API's document at build, so a field that is renamed breaks it.

import createClient from 'openapi-fetch';
import type { components, paths } from './schema';

type Wire = components['schemas'];

export type Remedy = Wire['Remedy'];
export type Problem = Wire['Problem'];
export type Finding = Wire['FindingView'];
export type Gate = Wire['GateView'];
export type Member = Wire['MemberView'];
export type Pass = Wire['PassView'];
export type Point = Wire['PointView'];
export type Step = Wire['StepView'];
export type Run = Wire['RunView'];
export type Divergence = Wire['Divergence'];
export type Wave = Wire['WaveView'];
export type RefitEdit = Wire['RefitEdit'];
export type Refit = Wire['RefitView'];
export type Probe = Wire['ProbeView'];
export type Need = Wire['Need'];
export type WaveCard = Wire['WaveCard'];
export type Lane = Wire['LaneView'];
export type Suggestion = Wire['SuggestionView'];
export type Shore = Wire['ShoreView'];
export type Rule = Wire['RuleView'];
export type RuleChange = Wire['RuleChange'];
export type Placed = Wire['PlacedView'];
export type Ingress = Wire['IngressView'];
export type Link = Wire['LinkView'];
export type Dossier = Wire['DossierView'];
export type Approval = Wire['ApprovalView'];
export type Provider = Wire['ProviderView'];
export type Event = Wire['EventView'];
export type Overview = Wire['Overview'];
export type Machine = Wire['MachineView'];
export type Metric = Wire['UsageView.MetricView'];
export type Usage = Wire['UsageView'];
export type End = Wire['ConnectionView.EndView'];
export type Connection = Wire['ConnectionView'];
export type Change = Wire['ChangeView'];
export type Site = Wire['SiteView'];
export type Credential = Wire['CredentialView'];
export type Server = Wire['ServerView'];
export type Agent = Wire['AgentView'];
export type Fact = Wire['FactView'];
export type Survey = Wire['SurveyView'];
export type LabelRule = Wire['LabelRuleView'];
export type Tug = Wire['TugView'];
export type Assumptions = Wire['AssumptionsView'];
export type BasisSum = Wire['AssessmentView.BasisView'];
export type Count = Wire['AssessmentView.CountView'];
export type Assessment = Wire['AssessmentView'];
export type AssessedRow = Wire['AssessedRow'];
export type MachineAssessment = Wire['MachineAssessment'];
export type Sized = Wire['AssessedMachineView.SizedView'];
export type AssessedMachine = Wire['AssessedMachineView'];
export type Comparison = Wire['AssessmentComparison'];
export type WhatIfPoint = Wire['WhatIfView.PointView'];
export type WhatIf = Wire['WhatIfView'];
export type PriceBook = Wire['PriceBookView'];
export type FitnessRules = Wire['FitnessRulesView'];
export type CsvImport = { csv: string; dryRun: boolean; whole: boolean };
export type ImportResult = Wire['ImportResult'];
export type EstateImport = { yaml: string; only: string[]; take: '' | 'file' | 'service'; state: string };
export type EstateResult = Wire['EstateResult'];
export interface Page<T> { items: T[]; total: number; page: number; size: number }

/** What the service answered instead. */
export class ApiProblem extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail);
  }
}

let csrf = '';

export function remember(value: string) {
  csrf = value;
}

/** The service's API by the paths, parameters and records of its document. */
export const api = createClient<paths>({ baseUrl: typeof window === 'undefined' ? '' : window.location.origin, fetch: (request) => fetch(request) });
api.use({
  onRequest({ request }) {
    if (request.method !== 'GET') {
      request.headers.set('X-CSRF', csrf);
    }
  },
});

/** A problem that the service did not tell itself. */
export function ownProblem(status: number, code: string, detail: string, advice: string): Problem {
  return { type: 'about:blank', title: 'failed', status, code, detail, remedy: { advice, action: '', arguments: [] } };
}

/** What was asked for; an {@link ApiProblem} if the service refuses, fails or is away. */
export async function answer<T>(asked: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let told;
  try {
    told = await asked;
  } catch {
    throw new ApiProblem({ ...ownProblem(0, 'unreachable', 'The service does not answer', 'see whether it runs'), remedy: { advice: 'see whether it runs', action: 'service-start', arguments: [] } });
  }
  if (!told.response.ok) {
    throw new ApiProblem(isProblem(told.error) ? told.error : ownProblem(told.response.status, `http-${told.response.status}`, `The answer has status ${told.response.status}`, 'look into the log of the service'));
  }
  return told.data as T;
}

function isProblem(error: unknown): error is Problem {
  return typeof error === 'object' && error !== null && 'code' in error && 'remedy' in error;
}
