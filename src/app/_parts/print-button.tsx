"use client";

export function PrintButton() {
  return (
    <button type="button" className="act-main" onClick={() => window.print()}>
      Print this sheet
    </button>
  );
}
