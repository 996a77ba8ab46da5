/** How wide a field is, from a few digits to a whole line; src/ui/theme/rooms.css has the figures. */
export type Room = "xs" | "s" | "m" | "l" | "xl" | "xxl" | "full";

export const roomy = (room: Room) => `w-${room}`;
