// The wire records that these pages read. Their types are made from the API's document at build, so a field that is renamed breaks it.

import type { components } from './schema';

type Wire = components['schemas'];

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
export type Need = Wire['Need'];
export type WaveCard = Wire['WaveCard'];
export type Lane = Wire['LaneView'];
export type Dossier = Wire['DossierView'];
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
export type ImportResult = Wire['ImportResult'];
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

async function call<T>(method: string, path: string, body?: unknown): Promise<T> {
  const headers: Record<string, string> = {};
  if (method !== 'GET') {
    headers['X-CSRF'] = csrf;
    headers['Content-Type'] = 'application/json';
  }
  let answer: Response;
  try {
    answer = await fetch('/api/v1' + path, { method, headers, body: body === undefined ? undefined : JSON.stringify(body) });
  } catch {
    throw new ApiProblem({ type: 'about:blank', title: 'not reachable', status: 0, code: 'unreachable', detail: 'The service does not answer.', remedy: 'See whether it runs: ./bargelane status' });
  }
  const text = await answer.text();
  if (!answer.ok) {
    throw new ApiProblem(problemOf(answer.status, text));
  }
  return (text === '' ? null : JSON.parse(text)) as T;
}

function problemOf(status: number, text: string): Problem {
  try {
    return JSON.parse(text) as Problem;
  } catch {
    return { type: 'about:blank', title: 'failed', status, code: `http-${status}`, detail: `The answer has status ${status}.`, remedy: 'Look into the log of the service.' };
  }
}

export const get = <T,>(path: string) => call<T>('GET', path);
export const put = <T,>(path: string, body: unknown) => call<T>('PUT', path, body);
export const remove = (path: string) => call<null>('DELETE', path);
export const post = <T,>(path: string, body: unknown) => call<T>('POST', path, body);
