// @ts-check
// Hand off: the list of files is fetched again when one of them goes on.
import { follow, gathered } from "../../lib/events.js";

const again = gathered(() => document.getElementById("files")?.dispatchEvent(new Event("legere:files")), 250);
follow({ handoff: again }, again);
