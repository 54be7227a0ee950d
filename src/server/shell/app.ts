import { existsSync } from 'node:fs'
import cookie from '@fastify/cookie'
import helmet from '@fastify/helmet'
import multipart from '@fastify/multipart'
import rateLimit from '@fastify/rate-limit'
import fastifyStatic from '@fastify/static'
import swagger from '@fastify/swagger'
import Fastify, { type FastifyError, type FastifyInstance } from 'fastify'
import { jsonSchemaTransform, serializerCompiler, validatorCompiler } from 'fastify-type-provider-zod'
import { z } from 'zod'
import { Problem } from '../../contract/errors'
import { ROUTES, type Route, type RouteName } from '../../contract/routes'
import { admit } from '../admins/gate'
import { unkeepableIn } from './keepable'
import type { Call, Context } from './context'

export type AllHandlers = { [N in RouteName]: (call: Call<N>) => unknown }

/** Bodies that a route reads by hand. */
const RAW_TYPES = ['application/x-ndjson', 'application/octet-stream', 'text/plain', 'application/x-protobuf', 'application/gzip']
const BODY_LIMIT = 64 << 20
/** Of whoever has not signed in yet, a name and a password are expected. */
const STRANGERS_BODY_LIMIT = 64 << 10
/** Files that may be given together. */
const MOST_FILES = 1000

/** Of words of which one is wanted, which they are. */
const oneOf = new Intl.ListFormat('en', { type: 'disjunction' })
z.config({ customError: (issue) => (issue.code === 'invalid_value' ? `expected ${oneOf.format(issue.values.map(String))}` : undefined) })

/** The HTTP server, made from the route table. @param webFolder the built pages, where there are any */
export async function makeApp(context: Context, handlers: AllHandlers, webFolder: string | null, log: boolean): Promise<FastifyInstance> {
  const app = Fastify({
    logger: log ? { level: 'warn' } : false,
    bodyLimit: BODY_LIMIT,
    forceCloseConnections: true,
    routerOptions: { maxParamLength: 1000 },
  })
  app.setValidatorCompiler(validatorCompiler)
  app.setSerializerCompiler(serializerCompiler)
  app.setErrorHandler((error: FastifyError | Problem, _request, reply) => {
    const problem = asProblem(error)
    if (problem.status >= 500 && problem.code === 'internal') app.log.error(error)
    return reply
      .status(problem.status)
      .type('application/problem+json')
      .send(
        JSON.stringify({
          type: 'about:blank',
          status: problem.status,
          code: problem.code,
          title: problem.title,
          detail: problem.detail,
          where: problem.where,
        }),
      )
  })
  await app.register(helmet, {
    contentSecurityPolicy: {
      directives: {
        defaultSrc: ["'self'"],
        imgSrc: ["'self'", 'data:'],
        styleSrc: ["'self'"],
        scriptSrc: ["'self'"],
        workerSrc: ["'self'"],
        upgradeInsecureRequests: null,
      },
    },
    strictTransportSecurity: false,
  })
  await app.register(cookie)
  await app.register(rateLimit, { global: false })
  await app.register(multipart, { limits: { files: MOST_FILES, fileSize: 8 * 2 ** 30 } })
  await app.register(swagger, { openapi: { openapi: '3.1.0', info: { title: 'Ikebana', version: '0.1.0' } }, transform: jsonSchemaTransform })
  app.addContentTypeParser(RAW_TYPES, { parseAs: 'buffer' }, (_request, body, done) => done(null, body))
  await app.register(async (scope) => {
    for (const [name, route] of Object.entries(ROUTES)) registerRoute(scope, context, name as RouteName, route, handlers)
  })
  app.get('/api/openapi.json', { schema: { hide: true } }, () => app.swagger())
  if (webFolder && existsSync(webFolder)) {
    await app.register(fastifyStatic, {
      root: webFolder,
      wildcard: false,
      setHeaders: (reply, path) => {
        reply.header('cache-control', path.includes('/assets/') ? 'public, max-age=31536000, immutable' : 'no-cache')
      },
    })
  }
  app.setNotFoundHandler((request, reply) => {
    const page =
      request.method === 'GET' &&
      webFolder !== null &&
      !/^\/(api|v1|assets)\//.test(request.url) &&
      /text\/html|\*\/\*/.test(request.headers.accept ?? '')
    if (page) return reply.sendFile('index.html')
    throw new Problem('not-found')
  })
  return app
}

function registerRoute(app: FastifyInstance, context: Context, name: RouteName, route: Route, handlers: AllHandlers): void {
  const handler = handlers[name] as (call: unknown) => unknown
  // A fleet or an exporter can wait.
  const isPage = !route.permission.startsWith('token ')
  const answered = <T>(work: () => T | Promise<T>) => (isPage ? context.attention.during(work) : work())
  const byHand = name === 'traces' || name === 'evidence' || name === 'uploadByToken'
  void app.register(async (scope) => {
    if (byHand) {
      // Taken as bytes, whatever the type, and read by the handler.
      scope.removeAllContentTypeParsers()
      if (name === 'uploadByToken') scope.addContentTypeParser('*', (_request, payload, done) => done(null, payload))
      else scope.addContentTypeParser('*', { parseAs: 'buffer' }, (_request, body, done) => done(null, body))
    }
    scope.route({
      method: route.method,
      url: route.path,
      bodyLimit: name === 'uploadByToken' ? 8 * 2 ** 30 : route.permission === 'anybody' ? STRANGERS_BODY_LIMIT : BODY_LIMIT,
      schema: {
        summary: route.sentence,
        description: `For: ${route.permission}.`,
        operationId: name,
        ...(route.params ? { params: route.params } : {}),
        ...(route.query ? { querystring: route.query } : {}),
        ...(route.body ? { body: route.body } : {}),
        ...(route.response ? { response: { 200: route.response } } : {}),
      },
      ...(name === 'signIn' || name === 'firstAccount' || name === 'ownPassword'
        ? {
            config: {
              rateLimit: { max: context.config.demo ? 60 : 10, timeWindow: '1 minute', errorResponseBuilder: () => new Problem('rate.limited') },
            },
          }
        : {}),
      onRequest: async (request) => {
        request.caller = await answered(() => admit(context.database, request, route.permission, context.now()))
      },
      preValidation: (request, _reply, done) => {
        const where = unkeepableIn(request.params) ?? unkeepableIn(request.query) ?? (byHand ? null : unkeepableIn(request.body))
        done(where === null ? undefined : new Problem('request.invalid', `${where || 'A name'} has a character that cannot be kept.`))
      },
      handler: async (request, reply) =>
        answered(() =>
          handler({ input: { params: request.params, query: request.query, body: request.body }, caller: request.caller, request, reply }),
        ),
    })
  })
}

function asProblem(error: FastifyError | Problem): Problem {
  if (error instanceof Problem) return error
  if (error.validation) {
    const where = error.validation.map(({ instancePath, message }) => ({
      path: instancePath.replace(/^\//, '').replaceAll('/', '.'),
      sentence: message ?? '',
    }))
    return new Problem('request.invalid', where.map(({ path, sentence }) => (path === '' ? sentence : `${path}: ${sentence}`)).join('; '), where)
  }
  if (error.code === 'FST_FILES_LIMIT' || error.code === 'FST_PARTS_LIMIT')
    return new Problem('body.too-large', `At most ${MOST_FILES} files are taken together. Give them in several lots, or in fewer, larger files.`)
  if (error.statusCode === 413 || error.code === 'FST_REQ_FILE_TOO_LARGE') return new Problem('body.too-large')
  if (error.statusCode === 415) return new Problem('format.unknown')
  if (error.statusCode === 429) return new Problem('rate.limited')
  if (error.statusCode && error.statusCode < 500) return new Problem('request.invalid', error.message)
  return new Problem('internal')
}

declare module 'fastify' {
  interface FastifyRequest {
    caller: import('./context').Caller
  }
}
