import type { Browser } from './browser.ts';

/**
 * Milliseconds from each of many keys that are typed in a field of the page to the frame in which what shows them is another: as whoever types sees it. One that
 * is never shown takes two seconds.
 */
export const keystrokes = (b: Browser, field: string, shows: string, count = 200): Promise<number[]> =>
  b.driver.executeAsyncScript<number[]>(
    `const [field, shows, count, done] = [document.querySelector(arguments[0]), document.querySelector(arguments[1]), arguments[2], arguments[3]];
     const text = () => shows.value ?? shows.textContent;
     const press = (key) => {
       const code = key.toUpperCase().charCodeAt(0);
       field.dispatchEvent(new KeyboardEvent('keydown', { key, keyCode: code, bubbles: true, cancelable: true }));
       field.dispatchEvent(new KeyboardEvent('keypress', { key, keyCode: key.charCodeAt(0), charCode: key.charCodeAt(0), bubbles: true, cancelable: true }));
       if (field === shows) document.execCommand('insertText', false, key);
     };
     field.focus();
     (async () => {
       const taken = [];
       for (let n = 0; n < count; n++) {
         const before = text();
         await new Promise(requestAnimationFrame);
         const at = performance.now();
         press('abcdefghij'[n % 10]);
         do await new Promise(requestAnimationFrame);
         while (text() === before && performance.now() - at < 2000);
         taken.push(performance.now() - at);
       }
       done(taken);
     })();`,
    field,
    shows,
    count,
  );
/** What so many of them take at the most, in whole milliseconds. */
export const within = (taken: readonly number[], share: number): number =>
  Math.round([...taken].sort((a, c) => a - c)[Math.min(taken.length - 1, Math.floor(taken.length * share))] ?? 0);
