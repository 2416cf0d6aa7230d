// All questions about the fleet: whoever answers them loads the modules that do.
import "../bench/plans";
import "../bench/proposals";
import "../computers/computer-list";
import "../cover/lacking";
import "../cover/view";
import "../fleet/chains";
import "../fleet/covers";
import "../fleet/export-matrix";
import "../fleet/overview";
import "../fleet/rehearsals";
import "../fleet/routes";
import "../media/media";
import "../upkeep/ahead";
import "../upkeep/due";
import "../upkeep/visits";
