/** The product's mark: a frame in copper with a pinned picture in verdigris. */
export function Mark() {
  return (
    <svg width="22" height="22" viewBox="0 0 22 22" aria-hidden>
      <path d="M4 5L18 3L17 18L5 19Z" fill="none" stroke="#d18c5c" strokeWidth="2" />
      <path d="M7 8L15 7L14.4 15L7.6 15.6Z" fill="#62b5a3" />
    </svg>
  );
}
