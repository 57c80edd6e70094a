// Parts that no first view needs are loaded after it, each with something that keeps its place until then.
import { type ComponentType, useEffect, useState } from "react";

export interface Later<P extends object> {
  (props: P): React.ReactNode;
  /** Loads the part, once; a failed load is tried again at the next call. */
  readonly load: () => Promise<void>;
}

/** A component that is loaded when it is first shown; until then `Holder` stands in its place and calls for it when
 * it is used, so that a load that failed is tried again. */
export function later<P extends object>(
  load: () => Promise<ComponentType<P>>,
  Holder: ComponentType<P & { readonly call: () => void }>,
): Later<P> {
  let Loaded: ComponentType<P> | undefined;
  const get = async (): Promise<void> => {
    Loaded ??= await load();
  };
  const Part = (props: P) => {
    const [, show] = useState(Loaded !== undefined);
    const call = (): void =>
      void get().then(
        () => show(true),
        () => undefined, // what holds its place stays, and calls again
      );
    useEffect(call, []);
    return Loaded ? <Loaded {...props} /> : <Holder {...props} call={call} />;
  };
  return Object.assign(Part, { load: get });
}
