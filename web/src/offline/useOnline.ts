import { useSyncExternalStore } from "react";

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
