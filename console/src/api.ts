// The wire records that these pages read; the whole of the API is in /api/v1/openapi.json.

export interface Problem { title: string; status: number; code: string; detail: string; remedy: string }
export interface Finding { code: string; blocks: boolean; thing: string; cause: string; remedy: string; who: string }
export interface Gate { gate: string; open: boolean; shutBy: Finding[] }
export interface Member {
  machine: string; name: string; rank: number; size: string; sizeBasis: string; monthly: number | null; currency: string;
  nics: { network: string; address: string; kept: boolean }[]; storages: string[]; bytes: number; stands: string;
  gates: Gate[]; notices: Finding[]; nextGate: string; nextAction: string;
}
export interface Pass {
  id: string; run: string; number: number; kind: string; state: string; asOf: string | null; startedAt: string; endedAt: string | null;
  total: number; done: number; sent: number; zeroed: number; read: number; rate: number | null; remainingSeconds: number | null; problem: string;
}
export interface Point {
  id: string; site: string; number: number; asOf: string; oneInstant: boolean; spreadMs: number; consistency: string; verified: boolean; recordedAt: string; direction: string; sent: number;
}
export interface Step { number: number; name: string; title: string; state: string; detail: string; startedAt: string | null; endedAt: string | null }
export interface Run {
  id: string; kind: string; title: string; subjectKind: string; subject: string; state: string; startedAt: string; endedAt: string | null;
  steps: Step[]; problem: Problem | null; result: Record<string, unknown> | null; startedBy: string;
}
export interface Divergence { commonPoint: string; home: string; homeBytes: number; away: string; awayBytes: number; overlapSeconds: number | null }
export interface Wave {
  id: string; name: string; lane: string; from: string; to: string; timetable: string; everySeconds: number; rpoSeconds: number; keepPoints: number;
  state: string; machines: Member[]; leg: { number: number; from: string; to: string; state: string; commonPoint: string } | null;
  exposureSeconds: number | null; newestAsOf: string | null; rpoHeld: boolean; lastPass: Pass | null; points: Point[];
  running: Run[]; recent: Run[]; nextAction: string; verbs: string[]; divergence: Divergence | null; protectedNow: boolean; now: string;
}
export interface RefitEdit { disk: number; partition: number; path: string; reason: string; difference: string }
export interface Refit {
  machine: string; lookedAt: string | null; point: number; needed: boolean; os: string; firmware: string; summary: string;
  edits: RefitEdit[]; unjudged: string[]; refused: string[]; word: string;
}
export interface Need { urgency: 'now' | 'soon' | 'next'; thing: string; cause: string; remedy: string; wave: string; since: string | null }
export interface WaveCard {
  id: string; name: string; from: string; to: string; stands: string; machines: number; state: string;
  exposureSeconds: number | null; rpoSeconds: number; rpoHeld: boolean; protectedNow: boolean; nextAction: string; gates: Record<string, number>;
}
export interface Lane {
  id: string; name: string; from: string; to: string; networks: Record<string, string>; storages: Record<string, string>;
  reverseNetworks: Record<string, string>; reverseStorages: Record<string, string>; zone: string; keepAddresses: boolean; revision: number; findings: Finding[];
}
export interface Dossier { id: string; kind: string; wave: string; run: string; at: string; record: Record<string, unknown> }
export interface Event { id: number; at: string; kind: string; subject: string; run: string; text: string }
export interface Overview {
  now: string; needs: Need[]; gates: Record<string, number>; machines: number; planned: number; waves: WaveCard[]; running: Run[]; recent: Event[];
}

export interface Machine {
  id: string; site: string; platformId: string; name: string; cpus: number; memoryMib: number; os: string; firmware: string; on: boolean; fenced: boolean;
  disks: { volume: string; bytes: number; storage: string; mounts: string[] }[]; nics: { network: string; address: string; mac: string }[];
  guest: {
    hostname: string; os: string; kernel: string; fileSystems: { mount: string; type: string; bytes: number; used: number }[];
    cards: { name: string; mac: string; addresses: string[] }[]; readAt: string;
  } | null;
  labels: Record<string, string>; ownLabels: string[]; ruledLabels: string[];
  sources: { site: string; kind: string; home: boolean; seenAt: string | null }[]; wave: string; firstSeen: string; lastSeen: string; vanishedAt: string | null;
}
export interface Metric {
  metric: string; unit: string; samples: number; mean: number; percentile: number; percentileBelow: number; percentileAbove: number; maximum: number; maximumAt: string; aboveSeconds: number;
  course: { from: string; mean: number | null; maximum: number | null }[];
}
export interface Usage {
  machine: string; from: string; to: string; percentile: number; expected: number; held: number; gaps: { from: string; to: string }[];
  monthsTurn: boolean; quartersTurn: boolean; warnings: string[]; configured: { cpus: number; memoryBytes: number }; metrics: Metric[];
}
export interface End { address: string; machineId: string | null; machine: string | null }
export interface Connection {
  client: End; server: End; protocol: string; port: number; process: string; count: number; bytes: number; firstSeen: string; lastSeen: string; observer: string;
}
export interface Change { at: string; site: string; machineId: string; machine: string; kind: string; fact: string; former: string; present: string }
export interface Site {
  id: string; name: string; kind: string; address: string; status: string; checkedAt: string | null; scannedAt: string | null; schedule: string; nextScanAt: string | null; machines: number;
  platform: string | null; version: string | null; findings: Finding[]; credentials: string[]; servers: number | null;
}
export interface Credential { id: string; name: string; type: string; account: string; sites: string[]; changedAt: string }
export interface Server {
  id: string; address: string; hostKey: string; credential: string; machineId: string; machine: string; addedAt: string; readAt: string | null; problem: Finding | null;
}
export interface Agent {
  id: string; machineId: string; machine: string; version: string; state: string; enrolledAt: string; heardAt: string | null; surveyedAt: string | null;
  clockAheadSeconds: number; account: string; unread: string[]; trouble: string;
}
export interface ImportResult {
  rows: number; added: number; changed: number; gone: number; stored: boolean; problems: { line: number; column: string; reason: string }[]; problemCount: number;
}
export interface Fact { fact: string; told: { value: string; site: string; at: string | null }[] }
export interface Survey {
  site: string; readAt: string; account: string; uptimeSeconds: number; vendor: string; product: string; architecture: string; cpuModel: string; patchedAt: string | null;
  devices: { name: string; bytes: number; parents: string[]; model: string; mounts: string[] }[]; routes: { to: string; via: string; card: string }[];
  packages: { name: string; version: string; architecture: string }[]; services: string[];
  listeners: { protocol: string; address: string; port: number; process: string }[]; unread: { fact: string; why: string }[];
}
export interface LabelRule { id: string; filter: string; name: string; value: string; madeBy: string; madeAt: string; machines: number }
export interface Tug { name: string; version: string; heardAt: string; passes: number }
export interface Assumptions {
  basis: string; percentile: number; days: number; until: string; sustainedHours: number; headroom: { cpu: number; memory: number; disk: number; network: number };
  families: string[]; generations: string[]; zone: string; generationFactors: Record<string, number>; commitment: string; hoursAWeek: number;
  runningHours: { filter: string; hoursAWeek: number }[]; discountPercent: number; ownLicences: string[]; growthPercent: number; horizonMonths: number;
}
export interface BasisSum { sized: number; unsized: number; monthly: number; horizon: number; above: number; aboveHours: number }
export interface Count { what: string; machines: number }
export interface Assessment {
  id: string; name: string; target: string; book: string; filter: string; machines: string[]; revision: number; revisions: number; at: string; by: string; why: string;
  assumptions: Assumptions; currency: string; prices: string; rules: string; count: number; configured: BasisSum; observed: BasisSum;
  both: { machines: number; configured: number; observed: number }; verdicts: Count[]; reasons: Count[]; costs: { kind: string; configured: number; observed: number }[];
  today: number; todayKnown: number; waiting: number; notes: string[];
}
export interface AssessedRow {
  machineId: string; machine: string; cpus: number; memoryMib: number; verdict: string; way: string; configuredSize: string; configuredMonthly: number | null;
  observedSize: string; observedMonthly: number | null; today: number | null; above: number; reasons: string[]; warned: boolean; accepted: string; stale: boolean;
}
export interface MachineAssessment { assessment: string; revision: number; target: string; book: string; at: string; basis: string; currency: string; row: AssessedRow }
export interface Sized {
  basis: string; size: string; cpus: number; memoryMib: number; cpuLimit: number; demands: { load: string; unit: string; basis: string; measured: number; value: number; derivation: string }[];
  disks: { volume: string; bytes: number; storage: string; derivation: string }[];
  lines: { kind: string; what: string; of: string; quantity: number; unit: string; price: number; monthly: number; horizon: number; derivation: string }[];
  monthly: number | null; horizon: number | null; waiting: number | null; aboveCpuSeconds: number; aboveMemorySeconds: number; findings: Finding[]; notes: string[]; considered: string[];
}
export interface AssessedMachine {
  assessment: string; revision: number; row: AssessedRow; currency: string; configured: Sized; observed: Sized;
  judgements: { finding: Finding; effect: string; rule: string; facts: string[]; source: string }[]; way: string; wayWhy: string; warnings: string[]; windowFrom: string; windowTo: string;
}
export interface Comparison {
  former: Assessment; present: Assessment; basis: string; assumptions: { what: string; former: string; present: string }[];
  machines: { machineId: string; machine: string; formerSize: string; presentSize: string; formerMonthly: number | null; presentMonthly: number | null; monthly: number | null; why: string[] }[];
  differing: number; compared: number; onlyFormer: number; onlyPresent: number; monthly: number;
}
export interface WhatIfPoint { percentile: number; headroomPercent: number; commitment: string; hoursAWeek: number; monthly: number; above: number; aboveHours: number; unsized: number; edge: boolean }
export interface WhatIf { assessment: string; revision: number; currency: string; machines: number; compared: number; points: WhatIfPoint[] }
export interface PriceBook { id: string; name: string; currency: string; count: number; from: string; by: string; at: string }
export interface FitnessRules { name: string; version: string; shipped: boolean; by: string; systems: number; rules: { id: string; code: string; effect: string; when: string[]; cause: string }[] }
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
    throw new ApiProblem({ title: 'not reachable', status: 0, code: 'unreachable', detail: 'The service does not answer.', remedy: 'See whether it runs: ./bargelane status' });
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
    return { title: 'failed', status, code: `http-${status}`, detail: `The answer has status ${status}.`, remedy: 'Look into the log of the service.' };
  }
}

export const get = <T,>(path: string) => call<T>('GET', path);
export const put = <T,>(path: string, body: unknown) => call<T>('PUT', path, body);
export const remove = (path: string) => call<null>('DELETE', path);
export const post = <T,>(path: string, body: unknown) => call<T>('POST', path, body);
