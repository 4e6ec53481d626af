import { Brought, useBrought } from "../gather/Files";
import { Operation } from "../Operation";

const MADE_FROM_COLOUR = ["centre", "spread", "tone", "detail"];

export function Response() {
  const [rough, metal] = [useBrought("roughness"), useBrought("metallic")];
  return (
    <>
      <h3 className="pt-1 font-medium">Roughness</h3>
      {rough && <Brought role="roughness" file={rough} />}
      <Operation id="response.roughness" without={rough ? MADE_FROM_COLOUR : []} flat={rough !== null} />
      <h3 className="mt-2 border-t border-line pt-2 font-medium">Metal</h3>
      {metal ? <Brought role="metallic" file={metal} /> : <Operation id="response.metallic" />}
    </>
  );
}
