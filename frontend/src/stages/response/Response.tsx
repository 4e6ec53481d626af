import { Operation } from "../Operation";

export function Response() {
  return (
    <>
      <h3 className="pt-1 font-medium">Roughness</h3>
      <Operation id="response.roughness" />
      <h3 className="mt-2 border-t border-line pt-2 font-medium">Metal</h3>
      <Operation id="response.metallic" />
    </>
  );
}
