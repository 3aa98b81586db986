/** Bodies of JSON, refused early where no schema would take them: too deep, too many fields, text that cannot be kept. */
import express, { type Request, type RequestHandler, type Response } from 'express';
import { BadInputError } from '@daxel/core/errors';
import { refuse } from './guards';

const MOST_DEPTH = 32;
/** Of one object, and of all together. */
const MOST_FIELDS = 2000;
const MOST_FIELDS_IN_ALL = 150_000;
/** A body of JSON has no more to wait for than a few megabytes. */
const BODY_MS = 30_000;

/** @param limit of the body, such as '64kb' */
export function jsonBody(limit: string): RequestHandler {
  const json = express.json({ limit, verify: (_request, _response, body) => countFields(body) });
  return (request, response, next) => {
    inTime(request, response);
    json(request, response, (error?: unknown) => {
      if (error) return next(error);
      try {
        checkPlain(request.body, '', 0);
      } catch (problem) {
        return next(problem);
      }
      next();
    });
  };
}

/** Before anything is made of them: taking apart a body of nothing but fields is most of the work. */
function countFields(body: Buffer): void {
  let [at, count] = [-1, 0];
  while ((at = body.indexOf(COLON, at + 1)) >= 0)
    if (++count > MOST_FIELDS_IN_ALL)
      throw new BadInputError(`The request has more than ${MOST_FIELDS_IN_ALL} fields.`);
}
const COLON = 58;

/** Who sends too slowly is let go. */
function inTime(request: Request, response: Response): void {
  const timer = setTimeout(() => {
    if (request.complete) return;
    response.set('Connection', 'close');
    refuse(response, 408, 'too-slow', `The request did not arrive within ${BODY_MS / 1000} seconds.`);
    response.once('finish', () => request.socket.destroy());
  }, BODY_MS);
  request.once('close', () => clearTimeout(timer));
  request.once('end', () => clearTimeout(timer));
}

/**
 * @param place of the value in the body, for the message
 * @throws BadInputError for what no field may hold
 */
export function checkPlain(value: unknown, place: string, depth: number): void {
  const at = place || 'the request';
  if (typeof value === 'string') {
    if (value.includes('\0')) throw new BadInputError(`${at}: text must not hold the character NUL.`);
    if (!isWellFormed(value)) throw new BadInputError(`${at}: the text is cut within a character.`);
  } else if (typeof value === 'number') {
    if (!Number.isFinite(value)) throw new BadInputError(`${at}: the number is too large.`);
  } else if (typeof value === 'object' && value !== null) {
    if (depth === MOST_DEPTH) throw new BadInputError(`${at}: it is nested more than ${MOST_DEPTH} times.`);
    if (Array.isArray(value)) {
      value.forEach((item, i) => checkPlain(item, place ? `${place}.${i}` : String(i), depth + 1));
      return;
    }
    let fields = 0;
    for (const key in value) {
      if (++fields > MOST_FIELDS) throw new BadInputError(`${at}: it has more than ${MOST_FIELDS} fields.`);
      checkPlain(key, place, depth);
      const name = key.length > 80 ? `${key.slice(0, 80)}…` : key;
      checkPlain((value as Record<string, unknown>)[key], place ? `${place}.${name}` : name, depth + 1);
    }
  }
}

/** No half of a surrogate pair stands alone. */
function isWellFormed(text: string): boolean {
  // with the u flag a pair is one character, and a half that is matched stands alone
  return !/[\uD800-\uDFFF]/u.test(text);
}
