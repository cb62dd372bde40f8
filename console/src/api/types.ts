import type { components, operations } from './types.generated'

// The shapes of service/openapi.yaml under short names.
type Schemas = components['schemas']
export type Bench = Schemas['Bench']
export type BenchSummary = Schemas['BenchSummary']
export type Input = Schemas['Input']
export type Output = Schemas['Output']
export type Requirement = Schemas['Requirement']
export type Study = Schemas['Study']
export type Order = Schemas['Order']
export type Run = Schemas['Run']
export type Design = Schemas['Design']
export type Result = Schemas['Result']
export type Headline = Schemas['Headline']
export type Judgment = Schemas['Judgment']
export type EvaluationDetail = Schemas['EvaluationDetail']
export type Exploration = Schemas['Exploration']
export type Explored = Schemas['Explored']
export type Sensitivity = Schemas['Sensitivity']
export type Influence = Schemas['Influence']
export type Front = Schemas['Front']
export type Fit = Schemas['Fit']
export type Surface = Schemas['Surface']
export type SurfaceOrder = Schemas['SurfaceOrder']
export type PredictionOrder = Schemas['PredictionOrder']
export type Predictions = Schemas['Predictions']
export type TriedByHand = Schemas['TriedByHand']
export type Turns = Schemas['Turns']
export type Turn = Schemas['Turn']
export type Pick = Schemas['Pick']
export type NamedCandidate = Schemas['NamedCandidate']
export type Selection = Schemas['Selection']
export type LeavingOut = Schemas['LeavingOut']
export type Convergence = Schemas['Convergence']
export type Told = Schemas['Told']
export type Value = Schemas['Value']
export type Problem = Schemas['Problem']
export type Kept = Schemas['Kept']
export type Results = Schemas['Results']
export type Spot = Schemas['Spot']
export type Way = Schemas['Way']
export type NewOutput = Schemas['NewOutput']
export type KeptFile = Schemas['KeptFile']
export type Revision = Schemas['Revision']
export type Files = Schemas['Files']
export type FileText = Schemas['FileText']
export type Edited = Schemas['Edited']
export type Adoption = Schemas['Adoption']
export type Adopted = Schemas['Adopted']
export type Deck = Schemas['Deck']
export type Segment = Schemas['Segment']
export type NumberPlace = Schemas['NumberPlace']
export type PlacesOrder = NonNullable<operations['changePlaces']['requestBody']>['content']['application/json']

/** A JSON Schema, as far as completion reads it. */
export interface Schema {
  $ref?: string
  $defs?: Record<string, Schema>
  description?: string
  properties?: Record<string, Schema>
  additionalProperties?: boolean | Schema
  items?: Schema
  enum?: unknown[]
  const?: unknown
  type?: string | string[]
  oneOf?: Schema[]
  anyOf?: Schema[]
  allOf?: Schema[]
  if?: Schema
  then?: Schema
}
