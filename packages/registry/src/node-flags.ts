/**
 * How Node.js is to be started for a registry. What passes through lies outside of its heap and counts towards it all the
 * same: without room to begin with, the whole heap is marked again for every few megabytes. In megabytes; not taken until
 * it is needed.
 */
export const nodeFlags = ['--initial-old-space-size=128'];
