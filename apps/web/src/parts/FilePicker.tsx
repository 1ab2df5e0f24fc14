/** Opens a file of the person's and hands over its text; nothing is sent anywhere by it. */
export const FilePicker = ({ accept, onText }: { accept?: string; onText: (text: string) => void }) => (
  <label className="relative inline-flex cursor-pointer items-center whitespace-nowrap rounded-[3px] border border-rule-2 bg-leaf px-3 py-1.5 font-semibold focus-within:outline-2 focus-within:outline-verdigris">
    Open a file…
    <input
      type="file"
      accept={accept}
      className="sr-only"
      onChange={(e) => {
        // The same file may be opened again after it was mended.
        const input = e.currentTarget;
        void input.files?.[0]?.text().then((text) => {
          input.value = '';
          onText(text);
        });
      }}
    />
  </label>
);
