/** Suites that start the demonstration as a whole: its devices stand at fixed places, so one after the other, in one file. */
import './starts/commands.ts';
import './starts/demo.ts';
