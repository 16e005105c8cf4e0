package standin

import "strings"

// All names are invented.
var (
	firstNames = strings.Fields(
		"Aslo Brunvi Calde Dagne Eivor Fenja Gyrid Halvi Ingra Jorunne Kettil Livar Mørle Nannik Oddny Perlo Quille " +
			"Ragnve Signar Torgis Ulvar Vigdor Ylvar Åsmi Ørnulv Sunnve Tarald Hegvi Bolle Runvar",
	)
	lastNames = strings.Fields(
		"Tornehaug Skjelbrand Kvistermo Laverud Myrsund Nesgard Oterholm Pilskog Ravnedal Sandvoll Tangmyr " +
			"Ulvestrand Vardehøy Ytterbekk Alkeskar Brattmyr Dvergsund Elveseter Fauskmyr Grindheller Havkroken " +
			"Isdamm Jutulberg Klegghaug Lundemyr Morkvist Nordkleiv Ospedal Purkeholm Rimvoll",
	)
	brandHeads = strings.Fields(
		"Brine Fathom Skarn Holm Tarn Vane Quoin Marl Sprit Drogue Thole Wrack Plover Ling Sedge Gorse Heath Cairn " +
			"Dulse Ebb Firth Gyre Haar Isle Jetty Knoll Loch Moor Ness Oar Peat Rime Shoal Turf Umber Voe Weir Yawl " +
			"Burn Crag",
	)
	brandTails = strings.Fields(
		"weft latch spindle burrow tally quill hopper sieve lattice mender warren kettle ferrule bobbin trellis " +
			"thimble gusset ratchet dovetail mortise",
	)
	makers = strings.Fields(
		"Aldercombe Birkhaven Crosswater Dunfirth Ellerholt Farrowgate Glimmerby Hollinshaw Inverquay Jarnholt " +
			"Kestrelby Lindmarch Marrowdene Northwick Oxenferry Pinderlow Quillworth Ravensmere Saltersgate " +
			"Thornaby-Lund Ulverstrand Varnholt Wickersley-Orr Yarrowdene Ashquill Brackenlow Cinderford-Lie " +
			"Drumholt Eskervale Fennimarsh Gorsedale Hathermoor Ickleford-Nes Kettlemoor Larkholt Mistlethorpe " +
			"Netherquay Otterburne-Vik Peverholt Rookmarsh Sandholt Tidebrook Umberslade Vellacott-Moe Wintermarsh " +
			"Zennorholt Amberquay Bellmarsh",
	)
	forms      = []string{"Ltd", "AS", "GmbH", "AB", "Inc.", "BV", "Oy", "plc", ""}
	categories = []string{
		"charting",
		"sonar",
		"tide",
		"office",
		"database",
		"compiler",
		"drawing",
		"browser",
		"driver",
		"runtime",
		"utility",
		"security",
	}
)
