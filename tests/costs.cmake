# Seconds of the tests that take over five, one thread, as measured (docs/performance.md says when). Read by ctest.
function(cost name seconds)
  set_tests_properties("${name}" PROPERTIES COST ${seconds})
endfunction()
# over 20 seconds, and why:
cost("tour/cli: the demo's studies run from the tool alone" 50)  # three studies with all their pictures
cost("study/contact with friction: blocks rub on each other, and lose what they slide" 45)  # the slide is the test
cost("study/hard paths: each reaches its stated end" 40)  # seventeen paths, one after the other
cost("study/chance: paths of structures drawn by chance arrive, repeat nothing and keep their branch" 30)  # and steps an eighth as long
# over 5 seconds:
cost("study/one-sided: a long plate on a rigid bed" 10)
cost("study/one-sided: a long strut on a bed and a wall" 6)
cost("study/hard paths: the examples that fold go the first part of their way" 19)
cost("tour/cli: every kind of structure of the examples runs, its preload in balance to eight digits" 18)
cost("analysis/modes: dozens of clustered modes of a tube come out whole, slice by slice" 17)
cost("study/rigid: thin plates have the classical load, however thick they are" 17)
cost("study/reduced model: the worst of screened mixes is worse than the first mode, and as predicted" 16)
cost("tour/install" 14)
cost("study/contact: reach, gaps, overlaps and how they are reported" 12)
cost("tour/everyday: a study written back in full is the same study" 11)
cost("study/contact with friction: nothing is lost where nothing rubs, to and fro" 11)
cost("tour/tutorials: their studies run and say what is printed there" 10)
cost("study/mode words: a shelf of sixty modes, scored against an expert" 10)
cost("elements/surfaces: forces balance, and the stiffness is their derivative" 9)
cost("study/contact between parts: a uniform pressure passes through whatever meshes meet" 9)
cost("study/contact between parts: a drum of solids on a block is in compression as half spaces are" 9)
cost("report/figures: obstacles stand beside what may touch them" 9)
cost("study/walls: the slope of a peak by a map of thicknesses is what two runs differ by" 8)
cost("tour/page: modes move in a browser without a network" 7)
cost("study/agreement: a flat bar that yields as it buckles, as line, shell and solid" 6)
cost("study/contact between parts: the same wherever it is, and whichever side leads" 6)
