/** Two links of a chain seen from the side. */
export function Mark() {
  return (
    <svg viewBox="0 0 26 26" width="24" height="24" aria-hidden="true" className="text-rope">
      <rect
        x="2"
        y="8"
        width="13"
        height="9"
        rx="4.5"
        fill="none"
        stroke="currentColor"
        strokeWidth="2.6"
        transform="rotate(-32 8 12)"
      />
      <rect
        x="11"
        y="10"
        width="13"
        height="9"
        rx="4.5"
        fill="none"
        stroke="currentColor"
        strokeWidth="2.6"
        transform="rotate(-32 18 14)"
      />
    </svg>
  );
}
