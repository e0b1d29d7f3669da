/** Starts what the present page has. Each module looks for its own part and does nothing without it. */
import {startPage} from "./page.js";
import {startDrawing} from "./drawing.js";
import {startLine} from "./line.js";
import {startLegs} from "./legs.js";
import {startPlan} from "./plan.js";
import {startChips} from "./chips.js";
import {startKeys} from "./keys.js";
import {startChoices} from "./choices.js";
import {startSite} from "./site.js";
import {startBench, startFinder} from "./finder.js";
import {startSimulator} from "./sim.js";
import {startLive} from "./live.js";
import {startHouse} from "./house.js";

const page = startPage();
const drawing = startDrawing(page);
const line = startLine(page, drawing);
startChips(page, line);
startLegs(page, drawing, line);
startChoices(page, drawing);
startPlan(page);
startSite(page);
startFinder();
startBench();
startSimulator(page);
startLive();
startHouse();
startKeys(page, drawing, line);
