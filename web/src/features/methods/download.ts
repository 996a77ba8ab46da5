import { answered, http } from "../../api/client";

/** Hands a procedure out as a YAML file. */
export async function download(id: string, version: number) {
  const { yaml } = await answered(
    http.GET("/api/procedures/{procedureId}/{version}/yaml", { params: { path: { procedureId: id, version } } }),
  );
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([yaml], { type: "application/yaml" }));
  link.download = `${id}-v${version}.yaml`;
  link.click();
  URL.revokeObjectURL(link.href);
}
