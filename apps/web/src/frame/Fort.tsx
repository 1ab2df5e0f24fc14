/** The mark of the product: a four-bastioned fort in plan, in one line. */
export const Fort = () => (
  <svg
    width="22"
    height="22"
    viewBox="0 0 24 24"
    fill="none"
    stroke="currentColor"
    strokeWidth="1.5"
    strokeLinejoin="round"
    aria-hidden="true"
  >
    <path d="M2 2 7.5 3.5 8.5 6h7l1-2.5L22 2l-1.5 5.5L18 8.5v7l2.5 1L22 22l-5.5-1.5-1-2.5h-7l-1 2.5L2 22l1.5-5.5 2.5-1v-7l-2.5-1z" />
    <rect x="9.5" y="9.5" width="5" height="5" />
  </svg>
);
