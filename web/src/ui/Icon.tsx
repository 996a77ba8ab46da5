const paths = {
  today: "M4 17h16M7 17a5 5 0 0 1 10 0M12 5v3M4.5 9l2 1.8M19.5 9l-2 1.8",
  jobs: "M4 7h16v12H4zM9 7V4h6v3M4 12h16",
  plan: "M4 5h7v6H4zM13 13h7v6h-7zM7.5 11v5H13",
  week: "M4 6h16v14H4zM4 10h16M8 4v4M16 4v4M7 13h5M10 16h6",
  bench: "M5 4v16M10 4v9M15 4v16M20 4v6M10 13c0 4-3 4-3 1",
  look: "M12 4a8 8 0 1 0 .1 0M12 8.5a3.5 3.5 0 1 0 .1 0M12 2v3M12 19v3",
  measure: "M3 14c3 0 3-8 6-8s3 12 6 12 3-6 6-6",
  rework: "M7 4v9c0 6 10 6 10 0s-6-5-6-1v8",
  yield: "M4 20h16M6 16l4-5 4 3 5-8M19 6v4M19 6h-4",
  methods: "M5 4h9l5 5v11H5zM9 13h6M9 16h4M14 4v5h5",
  handover: "M4 13l5 5L20 7M4 20h16",
  kit: "M4 9h16v10H4zM9 9V6h6v3M4 13h6M14 13h6M10 12h4v3h-4z",
  office: "M5 20V5h9v15M14 10h5v10M3 20h18M8 9h3M8 13h3M8 17h3",
  more: "M5 12h.1M12 12h.1M19 12h.1",
};

export type IconName = keyof typeof paths;

export function Icon({ name }: { name: IconName }) {
  return (
    <svg
      viewBox="0 0 24 24"
      fill="none"
      stroke="currentColor"
      strokeWidth="1.8"
      strokeLinecap="round"
      strokeLinejoin="round"
      aria-hidden="true"
    >
      <path d={paths[name]} />
    </svg>
  );
}
