import { queries } from "../api/client";
import { key } from "../api/keys";

/** Something of a count was changed from here: all that is shown of it is asked for anew. */
export const changed = (id: number) => queries.invalidateQueries({ queryKey: key.count(id) });
