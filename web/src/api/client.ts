import createClient from 'openapi-fetch';
import { BASE } from './base';
import type { components, paths } from './schema.gen';

export const api = createClient<paths>({ baseUrl: `${BASE}/` });
/** The catalogue of runs, which is the same for all of them. */
export const catalogue = createClient<paths>({ baseUrl: '/' });
/** Another run, from this page. */
export const ofRun = (name: string) => createClient<paths>({ baseUrl: `/runs/${name}/` });
// A request that reached nobody says so in words; one that was given up stays what it is.
api.use({
  onError: ({ error }) =>
    error instanceof DOMException && error.name === 'AbortError'
      ? undefined
      : new Error('the program does not answer'),
});

type S = components['schemas'];
export type Problem = S['Problem'];
export type Clock = S['ClockWire'];
export type Masthead = S['Masthead'];
export type ChainHead = S['ChainHead'];
export type Mark = S['Mark'];
/** A row, with the prices that moved a moment ago (marked, without animation: a fade would repaint the
 * table on every frame). */
export type Row = S['Row'] & { moved?: { cells: string; at: number } };
/** What does not change of a row while prices move: its strike, its contracts, its place in the chain. */
export type Line = { strike: string; at: number; call: string; put: string; index: number };
export type Cell = S['Cell'];
export type Column = S['Column'];
export type Leg = S['LegWire'];
export type Draft = S['DraftWire'];
export type Evaluation = S['EvaluationWire'];
export type LegAnswer = S['LegAnswer'];
export type NetPrice = S['NetPrice'];
export type Order = S['OrderWire'];
export type CampaignPage = S['CampaignPage'];
export type Stretch = S['StretchWire'];
export type Reworked = S['ReworkWire'];
export type ReworkSide = S['ReworkSide'];
export type ReworkMove = S['ReworkStep'];
export type Which = S['ReworkPart'];
export type ReworkAt = S['ReworkAt'];
export type Life = S['LifeWire'];
export type WaysFound = S['WaysWire'];
export type WaysMeasure = S['WaysMeasure'];
export type OrderMarket = S['OrderMarket'];
export type Bell = S['BellWire'];
export type BellRequest = S['BellRequest'];
export type Rounds = S['RoundsView'];
export type Ask = S['AskWire'];
export type Reason = S['ReasonWire'];
export type Quiet = S['QuietWire'];
export type Dated = S['DateWire'];
export type Band = S['BandWire'];
export type DecisionRequest = S['DecisionRequest'];
export type Day = S['DayWire'];
export type Parts = S['PartsWire'];
export type Rules = S['RulesView'];
export type Rule = S['RuleWire'];
export type RuleShown = S['RuleShown'];
export type RulesFile = S['RulesFile'];
export type Measure = S['MeasureWire'];
export type Structure = S['StructureWord'];
export type Balance = S['Balance'];
export type ScoutRow = S['ScoutRow'];
export type Candidate = S['CandidateWire'];
export type SearchRequest = S['SearchRequest'];
export type SearchLine = S['SearchLine'];
export type SearchDone = Extract<SearchLine, { kind: 'done' }>;
export type Expectation = S['ExpectationWire'];
export type Expected = S['ExpectedWire'];
export type Expectations = S['ExpectationsView'];
export type KeptExpectation = S['ExpectationKept'];
export type Family = S['FamilyWord'];
export type RankBy = S['RankWord'];
export type News = S['NewsView'];
export type PastNews = S['PastNewsWire'];
export type Looks = S['LooksWire'];
export type Replay = S['ReplayView'];
export type Look = S['LookWire'];
export type Run = S['RunWire'];
export type Beside = S['BesideWire'];
export type RunCompared = S['RunCompared'];
export type DrillRead = S['DrillRead'];
export type Played = S['PlayedWire'];
export type Cycle = S['CycleWire'];
export type DrillLook = S['DrillLook'];
export type Summary = S['SummaryWire'];
export type SweepLine = S['SweepLine'];
export type SweepRow = S['SweepRow'];
export type SweepDone = S['SweepDone'];
export type Lessons = S['LessonsView'];
export type LearntPart = S['LearntPartWire'];
export type Road = S['RoadWire'];
export type BookRequest = S['BookRequest'];
export type BookLooked = S['BookLooked'];
export type BookItem = S['BookItem'];
export type BookSums = S['BookSums'];
export type Scales = S['ScalesWire'];
export type Scale = S['ScaleWire'];
export type MendRequest = S['MendRequest'];
export type Mended = S['MendWire'];
export type Remedy = S['RemedyWire'];
export type Tails = S['TailsWire'];
export type Explained = S['ExplainedWire'];
export type Paper = S['PaperWire'];
export type MarginSheet = S['MarginSheet'];
export type After = S['AfterWire'];
export type Book = S['BookView'];
export type Position = S['Position'];
export type Strip = S['Strip'];
export type Ledger = S['LedgerView'];
export type LedgerWanted = NonNullable<paths['/api/ledger']['get']['parameters']['query']>;
export type LedgerLine = S['LedgerLine'];
export type ServerMessage = S['ServerMessage'];
export type ClientMessage = S['ClientMessage'];
export type EvaluateRequest = S['EvaluateRequest'];
export type PlaceRequest = S['PlaceRequest'];
export type BenchRequest = S['BenchRequest'];
export type BenchAnswer = S['BenchWire'];
export type Entry = S['EntryWire'];
export type Span = S['SpanWire'];
export type GridUnit = S['GridUnit'];
export type Chances = S['ChancesWire'];
export type Greeks = S['GreeksWire'];
export type BookEffect = S['BookEffect'];
export type Idea = S['IdeaWire'];
export type Intention = NonNullable<
  paths['/api/ideas/{symbol}']['get']['parameters']['query']['intention']
>;
export type PickQuery = paths['/api/pick/{symbol}']['get']['parameters']['query'];
export type CompareRequest = S['CompareRequest'];
export type SmilePoint = S['SmilePoint'];
export type Bar = S['BarWire'];
export type EventMark = S['EventMark'];
export type PackageLine = S['PackageLine'];
export type PackagesQuery = paths['/api/packages/{symbol}']['get']['parameters']['query'];

/** A refusal of the program, with its sentence. */
export class Refused extends Error {
  readonly code: string;
  constructor(problem: Problem) {
    super(problem.message);
    this.code = problem.code;
  }
}

/** The data of an answer, or its refusal thrown. */
export function must<T>(answer: { data?: T; error?: unknown }): T {
  if (answer.error !== undefined) {
    const e = answer.error as Partial<Problem>;
    throw new Refused({
      code: e.code ?? 'unknown',
      message: e.message ?? 'the program did not answer',
    });
  }
  return answer.data as T;
}
