import type { components } from './types.generated'

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
export type Best = Schemas['Best']
export type Judgment = Schemas['Judgment']
export type Point = Schemas['Point']
export type Points = Schemas['Points']
export type PointDetail = Schemas['PointDetail']
export type Problem = Schemas['Problem']
