/** Who may talk to the server, and how answers go wrong. */
import { timingSafeEqual } from 'node:crypto';
import type { NextFunction, Request, Response } from 'express';
import type { ZodType } from 'zod';
import { DaxelError } from '@daxel/core/errors';
import { DatabaseError } from '../db/database';

export class NotFoundError extends DaxelError {
  constructor(what: string) {
    super('not-found', `There is no such ${what}.`);
  }
}
export class ConflictError extends DaxelError {
  constructor(message: string) {
    super('conflict', message);
  }
}

/** @throws with the place in the message; Express hands it to `answerError` */
export function parse<T>(schema: ZodType<T>, value: unknown): T {
  const result = schema.safeParse(value);
  if (result.success) return result.data;
  const issue = result.error.issues[0];
  const place = issue.path.length > 0 ? `${issue.path.join('.')}: ` : '';
  throw new DaxelError('bad-input', `${place}${issue.message}`);
}

/**
 * A page of another site must not reach a server through the artist's browser, under a name of its own either.
 * @param answersTo whether the server goes by a name
 */
export function sameSiteOnly(answersTo: (name: string) => boolean) {
  return (request: Request, response: Response, next: NextFunction): void => {
    const host = request.get('Host') ?? '';
    if (!answersTo(host.replace(/:\d+$/, '')))
      return refuse(
        response,
        403,
        'forbidden',
        'This server does not answer to that name. On the machine it runs on it is localhost; others are allowed with --allow NAME.',
      );
    const origin = request.get('Origin');
    if (origin && request.method !== 'GET' && origin !== `http://${host}` && origin !== `https://${host}`)
      return refuse(response, 403, 'forbidden', 'Requests from other sites are not answered.');
    next();
  };
}

/** With a token set, every request needs it: as a bearer token, or once as ?token= in a browser, which then keeps a cookie. */
export function tokenOnly(token: string | undefined) {
  return (request: Request, response: Response, next: NextFunction): void => {
    if (!token) return next();
    const cookie = /(?:^|;\s*)daxel-token=([^;]+)/.exec(request.get('Cookie') ?? '')?.[1];
    const bearer = /^Bearer (.+)$/.exec(request.get('Authorization') ?? '')?.[1];
    const asked = typeof request.query.token === 'string' ? request.query.token : undefined;
    if (asked !== undefined && matches(asked, token)) {
      response.cookie('daxel-token', encodeURIComponent(token), { httpOnly: true, sameSite: 'strict' });
      // it shall not stay in the address, where it is seen and passed on; two slashes would lead to another site
      if (request.method === 'GET' && !request.path.startsWith('/api/'))
        return response.redirect(303, request.path.replace(/^[\\/]+/, '/'));
      return next();
    }
    if ((bearer && matches(bearer, token)) || (cookie && matches(decodeURIComponentSafely(cookie), token)))
      return next();
    refuse(
      response,
      401,
      'token',
      'This server needs its token: open it with ?token=… once, or send it as a bearer token.',
    );
  };
}

function decodeURIComponentSafely(text: string): string {
  try {
    return decodeURIComponent(decodeURIComponent(text));
  } catch {
    return '';
  }
}

function matches(a: string, b: string): boolean {
  const x = Buffer.from(a);
  const y = Buffer.from(b);
  return x.length === y.length && timingSafeEqual(x, y);
}

export function refuse(response: Response, status: number, code: string, message: string): void {
  response.status(status).json({ error: { code, message } });
}

const STATUS: Record<string, number> = { 'not-found': 404, conflict: 409, 'too-large': 413, 'too-wide': 422 };

/** Express's last handler: one clear line, never a stack. */
export function answerError(error: unknown, _request: Request, response: Response, next: NextFunction): void {
  if (response.headersSent) return next(error);
  if (error instanceof DaxelError) return refuse(response, STATUS[error.code] ?? 400, error.code, error.message);
  const e = error as { type?: string; status?: number; statusCode?: number; code?: string; message?: string };
  if (e.type === 'entity.too.large') return refuse(response, 413, 'too-large', 'The request is too large.');
  if (e.type === 'entity.parse.failed') return refuse(response, 400, 'bad-input', 'The request is not valid JSON.');
  if (error instanceof URIError) return refuse(response, 400, 'bad-input', 'The address is not valid.');
  if (error instanceof DatabaseError) {
    process.stderr.write(`daxel: database: ${error.code} ${error.message}\n`);
    // a value that no schema kept from it
    if (/^22/.test(error.code)) return refuse(response, 400, 'bad-input', `A value cannot be kept: ${error.message}.`);
    const full = error.code === '53100';
    return refuse(
      response,
      503,
      'database',
      full
        ? 'The disk is full. Free some space and try again.'
        : 'The database does not answer. Restart Daxel; nothing finished is lost.',
    );
  }
  const status = e.status ?? e.statusCode;
  if (status && status >= 400 && status < 500)
    return refuse(response, status, 'bad-input', 'The request cannot be answered.');
  process.stderr.write(`daxel: ${e.code ?? ''} ${e.message ?? String(error)}\n`);
  refuse(response, 500, 'failure', 'Something went wrong on the server; see its output.');
}
