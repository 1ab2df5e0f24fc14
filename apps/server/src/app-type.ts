import type {
  FastifyBaseLogger,
  FastifyInstance,
  FastifyTypeProvider,
  RawReplyDefaultExpression,
  RawRequestDefaultExpression,
  RawServerDefault,
} from 'fastify';
import type { z } from 'zod';

/** What comes in has the type that its schema gives, what goes out the type that its schema takes: a moment may be a date there. */
interface BySchema extends FastifyTypeProvider {
  validator: this['schema'] extends z.core.$ZodType ? z.output<this['schema']> : unknown;
  serializer: this['schema'] extends z.core.$ZodType ? z.input<this['schema']> : unknown;
}

/** The application as routes see it. */
export type App = FastifyInstance<
  RawServerDefault,
  RawRequestDefaultExpression,
  RawReplyDefaultExpression,
  FastifyBaseLogger,
  BySchema
>;
