/** The component of a release or an add-on that gives services addresses of the pool, and answers for them. */
export const announcer = 'service-announcer';
