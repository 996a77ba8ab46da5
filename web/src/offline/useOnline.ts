import { useSyncExternalStore } from "react";
import { serverAway } from "../api/send";

const subscribe = (tell: () => void) => {
  window.addEventListener("online", tell);
  window.addEventListener("offline", tell);
  return () => {
    window.removeEventListener("online", tell);
    window.removeEventListener("offline", tell);
  };
};

/** What the device says of its network. */
export const useOnline = () => useSyncExternalStore(subscribe, () => navigator.onLine);

/** What the server says of itself, once it was asked. */
export const useServerAway = () => useSyncExternalStore(serverAway.subscribe, serverAway.now);
