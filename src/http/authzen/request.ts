// The parts of requests for decisions. Source: OpenID AuthZEN, Authorization API 1.0, section 5.
import type { Row } from '../../condition/index.js'
import { RequestError } from '../error.js'

/** Who would do something. */
export interface AuthZenSubject {
  readonly type: string
  readonly id: string
  readonly properties: Row
}

/** What would be done. */
export interface AuthZenAction {
  readonly name: string
  readonly properties: Row
}

/** To what. A search for resources, and a record to be created, have no id. */
export interface AuthZenResource {
  readonly type: string
  readonly id: string | undefined
  readonly properties: Row
}

export function readSubject(given: unknown, where: string): AuthZenSubject {
  const { type, id, properties } = objectOf(given, `${where}subject`)
  return {
    type: textOf(type, `${where}subject.type`),
    id: textOf(id, `${where}subject.id`),
    properties: propertiesOf(properties, `${where}subject.properties`),
  }
}

export function readAction(given: unknown, where: string): AuthZenAction {
  const { name, properties } = objectOf(given, `${where}action`)
  return { name: textOf(name, `${where}action.name`), properties: propertiesOf(properties, `${where}action.properties`) }
}

export function readResource(given: unknown, where: string): AuthZenResource {
  const { type, id, properties } = objectOf(given, `${where}resource`)
  return {
    type: textOf(type, `${where}resource.type`),
    id: id === undefined ? undefined : textOf(id, `${where}resource.id`),
    properties: propertiesOf(properties, `${where}resource.properties`),
  }
}

export function objectOf(given: unknown, where: string): Row {
  if (typeof given !== 'object' || given === null || Array.isArray(given)) throw new RequestError(400, `${where}: an object is needed`)
  return given as Row
}

export function textOf(given: unknown, where: string): string {
  if (typeof given !== 'string' || given === '') throw new RequestError(400, `${where}: a text is needed`)
  return given
}

function propertiesOf(given: unknown, where: string): Row {
  return given === undefined ? {} : objectOf(given, where)
}
