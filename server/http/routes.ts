/** Routes that say what they do where they are made, for the OpenAPI document. */
import { Router, type RequestHandler } from 'express';
import type { z } from 'zod';

export interface Operation {
  summary: string;
  /** What is sent, where it is JSON. */
  body?: z.ZodType;
  /** What comes back, where it is JSON. */
  answer?: z.ZodType;
  /** 200 when absent. */
  status?: number;
}

type Method = 'get' | 'post' | 'put' | 'patch' | 'delete';
type Add = (path: string, operation: Operation, ...handlers: RequestHandler[]) => void;

export class Routes {
  readonly router = Router();
  /** By method and path, as in `get /projects/:id`. */
  readonly operations = new Map<string, Operation>();
  readonly get = this.adds('get');
  readonly post = this.adds('post');
  readonly put = this.adds('put');
  readonly patch = this.adds('patch');
  readonly delete = this.adds('delete');

  private adds(method: Method): Add {
    return (path, operation, ...handlers) => {
      this.operations.set(`${method} ${path}`, operation);
      this.router[method](path, ...handlers);
    };
  }
}
