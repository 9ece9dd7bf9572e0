package refs

var works = []Work{
	{"Alduchov1996", "Alduchov and Eskridge 1996", "Alduchov, Eskridge: Improved Magnus form approximation of saturation " +
		"vapor pressure. Journal of Applied Meteorology 35", "1996", ""},
	{"ASHRAE-R", "ASHRAE Handbook: Refrigeration", "American Society of Heating, Refrigerating and Air-Conditioning " +
		"Engineers: ASHRAE Handbook, Refrigeration: thermal properties of foods; cooling and freezing times of foods",
		"2018, SI; chapters 19 and 20", ""},
	{"Carslaw&Jaeger", "Carslaw and Jaeger", "Carslaw, Jaeger: Conduction of Heat in Solids", "2nd, 1959", ""},
	{"CFR204", "US rule 204 on traceability", "US Food and Drug Administration: Requirements for Additional Traceability Records for Certain " +
		"Foods, 21 CFR part 1 subpart S", "2022", ""},
	{"Choi&Okos1986", "Choi and Okos 1986", "Choi, Okos: Effects of temperature and composition on the thermal " +
		"properties of foods. Food Engineering and Process Applications 1", "1986", ""},
	{"ChurchillBernstein", "Churchill and Bernstein 1977", "Churchill, Bernstein: A correlating equation for forced convection " +
		"from gases and liquids to a circular cylinder in crossflow. Journal of Heat Transfer 99", "1977", ""},
	{"CXC1", "Codex CXC 1-1969", "Codex Alimentarius: General Principles of Food Hygiene, CXC 1-1969, with the annex on hazard analysis " +
		"and critical control points", "2020", ""},
	{"DDB", "Dortmund Data Bank", "Dortmund Data Bank: constants of the Antoine equation, water from 1 to 100 °C", "", ""},
	{"EEC103-76", "Regulation (EEC) 103/76", "Regulation (EEC) 103/76 laying down common marketing standards for certain " +
		"fresh or chilled fish", "repealed; for its averaging rule", ""},
	{"EU1169", "Regulation (EU) 1169/2011", "Regulation (EU) No 1169/2011 on the provision of food information to " +
		"consumers", "annex II: allergens", ""},
	{"EU2073", "Regulation (EC) 2073/2005", "Regulation (EC) 2073/2005 on microbiological criteria for foodstuffs",
		"annex I, chapter 1: histamine", ""},
	{"EU2406", "Regulation (EC) 2406/96", "Regulation (EC) 2406/96 laying down common marketing standards for certain " +
		"fishery products", "annex I", ""},
	{"EU853", "Regulation (EC) 853/2004", "Regulation (EC) 853/2004 laying down specific hygiene rules for food of animal " +
		"origin", "annex III section VIII, as amended by (EU) 1276/2011", ""},
	{"FAO340", "FAO Fisheries Technical Paper 340", "Johnston et al.: Freezing and refrigerated storage in fisheries. FAO " +
		"Fisheries Technical Paper 340", "1994", ""},
	{"FAO348", "FAO Fisheries Technical Paper 348", "Huss (ed.): Quality and quality changes in fresh fish. FAO Fisheries " +
		"Technical Paper 348", "1995", ""},
	{"FAOareas", "FAO major fishing areas", "FAO: Major fishing areas for statistical purposes", "", ""},
	{"FDA-hazards", "FDA hazards guide", "US Food and Drug Administration: Fish and Fishery Products Hazards and Controls " +
		"Guidance", "4th, as updated", ""},
	{"FoodCode", "FDA Food Code 2022", "US Food and Drug Administration: Food Code", "2022", ""},
	{"Fuller1987", "Fuller 1987", "Fuller: Measurement Error Models", "1987", ""},
	{"Horngren", "Horngren, Cost Accounting", "Horngren, Datar, Rajan: Cost Accounting: A Managerial Emphasis", "joint costs", ""},
	{"IIR", "IIR recommendations", "International Institute of Refrigeration: Recommendations for the processing and " +
		"handling of frozen foods", "3rd, 1986", ""},
	{"Incropera&DeWitt", "Incropera and DeWitt", "Incropera, DeWitt: Fundamentals of Heat and Mass Transfer", "", ""},
	{"ISO2533", "ISO 2533", "ISO 2533: Standard Atmosphere", "1975", ""},
	{"Larsen1992", "Larsen et al. 1992", "Larsen, Heldbo, Jespersen, Nielsen: Development of a method for quality " +
		"assessment of fish for human consumption based on sensory evaluation. Quality Assurance in the Fish Industry", "1992", ""},
	{"Levy1981", "Levy 1981", "Levy: A modified Maxwell-Eucken equation for calculating the thermal conductivity of " +
		"two-component solutions or mixtures. International Journal of Refrigeration 4", "1981", ""},
	{"NIST44", "NIST Handbook 44", "National Institute of Standards and Technology: Handbook 44, appendix C, general " +
		"tables of units of measurement", "", ""},
	{"OWASP-ASVS", "OWASP ASVS", "OWASP: Application Security Verification Standard", "4.0.3", ""},
	{"OWASP-passwords", "OWASP Password Storage Cheat Sheet", "OWASP: Password Storage Cheat Sheet", "", ""},
	{"Pham1984", "Pham 1984", "Pham: Extension to Planck's equation for predicting freezing times of foodstuffs of simple " +
		"shapes. International Journal of Refrigeration 7", "1984", ""},
	{"Plank1913", "Plank 1913", "Plank: Die Gefrierdauer von Eisblöcken. Zeitschrift für die gesamte Kälte-Industrie 20", "1913", ""},
	{"PWG5102.4", "PWG 5102.4", "IEEE-ISTO Printer Working Group: PWG Raster Format", "2012", ""},
	{"RFC8010", "RFC 8010", "IETF: Internet Printing Protocol/1.1: Encoding and Transport", "2017", ""},
	{"RFC8011", "RFC 8011", "IETF: Internet Printing Protocol/1.1: Model and Semantics", "2017", ""},
	{"RFC8428", "RFC 8428", "IETF: Sensor Measurement Lists (SenML)", "2018", ""},
	{"Singh&Heldman", "Singh and Heldman", "Singh, Heldman: Introduction to Food Engineering", "", ""},
	{"Sveinsdottir2003", "Sveinsdottir et al. 2003", "Sveinsdottir et al., on the sensory quality of farmed salmon in ice. " +
		"Food Quality and Preference 14", "2003", ""},
	{"Torry27", "Torry Advisory Note 27", "Torry Research Station: Quick freezing of fish. Torry Advisory Note 27", "", ""},
	{"Whitaker1972", "Whitaker 1972", "Whitaker: Forced convection heat transfer correlations for flow in pipes, past flat " +
		"plates, single cylinders, single spheres, and for flow in packed beds and tube bundles. AIChE Journal 18", "1972", ""},
	{"White", "White, Viscous Fluid Flow", "White: Viscous Fluid Flow", "", ""},
}
