/** The OpenAPI document, from the schemas that check requests. */
import { z } from 'zod';
import * as schema from '@daxel/api/schemas';
import { SETTINGS } from '@daxel/core/recipe/settings';

interface Operation {
  summary: string;
  body?: z.ZodType;
  answer?: z.ZodType;
  status?: number;
}

const OPERATIONS: Record<string, Operation> = {
  'get /api/health': { summary: 'Whether server and database answer' },
  'get /api/events': { summary: 'Server-sent events; resumes from Last-Event-ID', answer: schema.serverEvent },
  'get /api/projects': { summary: 'All projects', answer: z.array(schema.project) },
  'post /api/projects': {
    summary:
      'A project from a .glb file, sent as the body; ?name= is its file name, ?upload= what events of its progress name it by',
    answer: schema.project,
    status: 201,
  },
  'get /api/projects/{id}': { summary: 'One project with scenes and shots', answer: schema.project },
  'patch /api/projects/{id}': { summary: 'Renames a project', body: schema.projectChange, answer: schema.project },
  'delete /api/projects/{id}': { summary: 'Deletes a project; can be restored', status: 204 },
  'post /api/projects/{id}/restore': { summary: 'Brings a deleted project back', answer: schema.project },
  'patch /api/shots/{id}': {
    summary: 'Changes recipe, patches, rigs or frame of a shot',
    body: schema.shotChange,
    answer: schema.shot,
  },
  'put /api/shots/{id}/thumbnail': { summary: 'The small picture of a shot, a PNG', status: 204 },
  'post /api/shots/{id}/stills': {
    summary: 'Renders a still',
    body: schema.stillRequest,
    answer: schema.still,
    status: 202,
  },
  'get /api/stills': { summary: 'Stills, newest first; ?before= and ?limit= page', answer: z.array(schema.still) },
  'get /api/stills/{id}': { summary: 'One still', answer: schema.still },
  'delete /api/stills/{id}': { summary: 'Deletes a still; can be restored', status: 204 },
  'post /api/stills/{id}/cancel': { summary: 'Cancels a still that waits or runs', answer: schema.still },
  'post /api/stills/{id}/restore': { summary: 'Brings a deleted still back', answer: schema.still },
  'get /api/stills/{id}/forming': { summary: 'The picture so far, a PNG' },
  'get /api/stills/{id}/files/{kind}': {
    summary: 'A finished file: png8, png16, exr-half, exr-float; ?download sends it as an attachment',
  },
  'get /api/wedges': { summary: 'Wedges of all shots that run or wait', answer: z.array(schema.wedge) },
  'get /api/shots/{id}/wedges': { summary: 'Wedges of a shot, newest first', answer: z.array(schema.wedge) },
  'post /api/shots/{id}/wedges': {
    summary: 'Renders a wedge or a sensitivity run',
    body: schema.wedgeRequest,
    answer: schema.wedge,
    status: 202,
  },
  'post /api/wedges/{id}/cancel': { summary: 'Cancels a wedge that waits or runs', answer: schema.wedge },
  'post /api/wedges/{id}/resume': { summary: 'Renders the steps that are missing', answer: schema.wedge },
  'delete /api/wedges/{id}': { summary: 'Deletes a wedge', status: 204 },
  'get /api/wedges/{id}/steps/{step}': { summary: 'The picture of a step, a PNG; step "reference" is the reference' },
  'post /api/shots/{id}/sequences': {
    summary: 'Renders frames of a shot out',
    body: schema.sequenceRequest,
    answer: schema.sequence,
    status: 202,
  },
  'get /api/sequences': { summary: 'Sequences, newest first', answer: z.array(schema.sequence) },
  'get /api/sequences/{id}': { summary: 'One sequence', answer: schema.sequence },
  'post /api/sequences/{id}/pause': { summary: 'Lets the processor go until it is resumed', answer: schema.sequence },
  'post /api/sequences/{id}/cancel': { summary: 'Ends it; finished frames stay', answer: schema.sequence },
  'post /api/sequences/{id}/resume': { summary: 'Renders the frames that are missing', answer: schema.sequence },
  'delete /api/sequences/{id}': { summary: 'Deletes a sequence; can be restored for a day', status: 204 },
  'post /api/sequences/{id}/restore': { summary: 'Brings a deleted sequence back', answer: schema.sequence },
  'get /api/sequences/{id}/forming': { summary: 'The frame so far, a PNG' },
  'get /api/sequences/{id}/frames': { summary: 'Its finished frames', answer: z.array(schema.sequenceFrame) },
  'get /api/sequences/{id}/frames/{frame}/{kind}': { summary: 'A file of a finished frame; ?download names it' },
  'get /api/sequences/{id}/zip/{kind}': { summary: 'All finished frames of one kind as a ZIP file' },
  'post /api/environments': {
    summary: 'An environment picture (.hdr or .exr) as the body; ?name= is its file name, ?width= reduces it',
    answer: schema.environmentFile,
    status: 201,
  },
  'get /api/environments/{hash}': { summary: 'An environment picture as it is kept: size and 32-bit floats' },
  'get /api/scenes/{id}/compiled': { summary: 'The scene as the renderers read it' },
  'get /api/pictures/{hash}.png': { summary: 'A kept picture by its hash' },
};

let document: object | null = null;

export function openApiDocument(): object {
  return (document ??= build());
}

function build(): object {
  const json = (type: z.ZodType): object => ({
    'application/json': { schema: z.toJSONSchema(type, { io: 'input', unrepresentable: 'any' }) },
  });
  const paths: Record<string, Record<string, object>> = {};
  for (const [key, operation] of Object.entries(OPERATIONS)) {
    const [method, path] = key.split(' ');
    const parameters = [...path.matchAll(/\{(\w+)\}/g)].map((m) => ({
      name: m[1],
      in: 'path',
      required: true,
      schema: { type: 'string' },
    }));
    const status = String(operation.status ?? 200);
    (paths[path] ??= {})[method] = {
      summary: operation.summary,
      parameters,
      ...(operation.body && { requestBody: { required: true, content: json(operation.body) } }),
      responses: {
        [status]: { description: 'Done', ...(operation.answer && { content: json(operation.answer) }) },
        default: { description: 'One clear line', content: json(schema.problem) },
      },
    };
  }
  return {
    openapi: '3.1.0',
    info: { title: 'Daxel', version: '0.1.0' },
    paths,
    'x-settings': SETTINGS,
  };
}
