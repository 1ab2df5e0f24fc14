/** A site or a team has what is done here approved by a second person: said where somebody is about to do it. */
export const AsksTwo = ({ who }: { who: string }) => (
  <p className="my-2 border-ochre border-l-[3px] px-3 py-1.5" role="note">
    {who.charAt(0).toUpperCase()}
    {who.slice(1)} has each change approved by a second person. Propose it; somebody else approves it.
  </p>
);
