import { config } from 'zod';

/** The page's policy forbids compiling code at run time: schemas are interpreted. Imported before any schema is made. */
config({ jitless: true });
