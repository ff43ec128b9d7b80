// The interface's shapes under short names, made from its OpenAPI description.
import type { components } from './schema';

type Schemas = components['schemas'];
export type Row = Schemas['Row'];
export type Kind = Schemas['Kind'];
export type Detail = Schemas['Detail'];
export type Status = Schemas['Status'];
export type Outline = Schemas['Outline'];
export type Problem = Schemas['Problem'];
export type ClipEvent = Schemas['ClipEvent'];
export type GoneEvent = Schemas['GoneEvent'];
export type Refusal = Schemas['Refusal'];
export type Form = Schemas['Form'];
