import type { S } from "../../api/client";

export type SealFinding = "whole" | "other-file" | "other-data" | "bad-signature" | "no-seal";

/** What was signed: each field on its line, as Core writes it. */
export const message = (s: S["Seal"]) =>
  [
    s.format,
    s.company,
    s.customer,
    s.site,
    s.edition,
    s.handover === null ? "-" : String(s.handover),
    s.dataSha256,
    s.fileSha256,
    s.sealedAt,
    s.keyId,
  ].join("\n");

const bytes = (base64: string) => Uint8Array.from(atob(base64), (c) => c.charCodeAt(0));
const hex = (buffer: ArrayBuffer) =>
  Array.from(new Uint8Array(buffer), (b) => b.toString(16).padStart(2, "0")).join("");
const sha256 = async (data: ArrayBuffer) => hex(await crypto.subtle.digest("SHA-256", data));

/** The seal that a file holds; null where it is none. */
export function readSeal(text: string): S["Seal"] | null {
  try {
    const seal = JSON.parse(text);
    return seal?.format === "rhabdon-seal/1" ? seal : null;
  } catch {
    return null;
  }
}

/** Whether a file, or its data, is what was sealed; by the browser's own library, with no network. */
export async function checkSeal(seal: S["Seal"], file?: ArrayBuffer, data?: ArrayBuffer): Promise<SealFinding> {
  try {
    const spki = bytes(seal.publicKey);
    const key = await crypto.subtle.importKey("spki", spki, { name: "ECDSA", namedCurve: "P-256" }, false, ["verify"]);
    const holds = await crypto.subtle.verify(
      { name: "ECDSA", hash: "SHA-256" },
      key,
      bytes(seal.signature),
      new TextEncoder().encode(message(seal)),
    );
    if (!holds || (await sha256(spki.buffer as ArrayBuffer)).slice(0, 32) !== seal.keyId) return "bad-signature";
  } catch {
    return "bad-signature";
  }
  if (file && (await sha256(file)) !== seal.fileSha256) return "other-file";
  if (data && (await sha256(data)) !== seal.dataSha256) return "other-data";
  return "whole";
}
