# Folders of the room report: what each may include (FOLDERS below it), its public headers and its sources.
archway_folder(report text
  USES
  HEADERS
    live.hpp
    text.hpp
  SOURCES
    buckling_text.cpp
    live.cpp
    slopes_text.cpp
    sweep_text.cpp
    text.cpp
    text_table.cpp)
archway_folder(report canvas
  USES
  HEADERS
    figure.hpp
  SOURCES
    canvas.cpp
    raster.cpp)
archway_folder(report charts
  USES canvas text
  HEADERS
    curves.hpp
  SOURCES
    chart.cpp
    curves.cpp
    path_charts.cpp
    path_series.cpp)
archway_folder(report pictures
  USES canvas charts text
  HEADERS
    figures.hpp
  SOURCES
    camera.cpp
    figures.cpp
    imperfection_figures.cpp
    mesh_picture.cpp
    obstacle_lines.cpp
    picture_bars.cpp
    structure_figures.cpp)
archway_folder(report sheets
  USES canvas charts text
  HEADERS
    section_curve_sheet.hpp
    section_sheet.hpp
    theory_sheet.hpp
  SOURCES
    section_curve_sheet.cpp
    section_sheet.cpp
    theory_sheet.cpp)
archway_folder(report page
  USES pictures canvas charts text
  SOURCES
    moving_modes.cpp
    moving_modes.cpp)
