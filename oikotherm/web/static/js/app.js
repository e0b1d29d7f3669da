/** Starts what the present page has. Each module looks for its own part and does nothing without it. */
import {startPage} from "./page.js";
import {startDrawing} from "./drawing.js";
import {startLine} from "./line.js";
import {startChips} from "./chips.js";
import {startKeys} from "./keys.js";
import {startChoices} from "./choices.js";
import {startSite} from "./site.js";

const page = startPage();
const drawing = startDrawing(page);
const line = startLine(page, drawing);
startChips(page, line);
startChoices(page, drawing);
startSite(page);
startKeys(page, drawing, line);
