<?xml version="1.0" encoding="utf-8"?>
<!DOCTYPE TS>
<TS version="2.1" sourcelanguage="en">
  <context>
    <name>app</name>
    <message>
      <source>Something in the program failed; the job was left as it is. Details are in the log.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Something in the program failed; the load was dropped and all readings are kept. Details are in the log.</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>assemble.alive_view</name>
    <message>
      <source>Its case stays closed. Each step rules something out before more is risked.</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>assemble.matrix_view</name>
    <message>
      <source>Everything unplugged, every reservoir read empty.  = joined   ≠ apart   &gt; not shorted   ▸ its diode.  What must be read before going on is a hold. In the reading line its number will do: “7 OL”.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>pairs to read</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Nothing to read yet: join a source in Design first.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Expect {0}: {1}.{2}</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>assemble.other_views</name>
    <message>
      <source>Colours by the published standard. Measure each wire, with a light load, before you trust it.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>What is not measured is read in the matrix; what misses is mended in Design.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>No reservoir that hands meet: donors stay closed, and no rectifier is built in.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0}: {1} at up to {2}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>keyed</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>To put back, the last one pulled first; Space ticks it.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>take-apart register, in reverse</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>assemble.stage</name>
    <message>
      <source>Wires</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Harness</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Isolation and continuity</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Protection</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Stored charge</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Dead or alive</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Taken apart</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Assemble follows from a design: join a source, what it feeds and an output in Design first.</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>assemble.wires_view</name>
    <message>
      <source>Space ticks a wire as made; a cut length is typed over. Sized so that its fuse protects it, or for the limit before it; where neither is there, for the fuse that it wants.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>wire list</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>file of the wire list</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>write the list</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>write labels</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0}: must stand {1}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} at the first end, {1} at the other</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} written.</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>design.box_view</name>
    <message>
      <source>floor of the box</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Predicted at the room as it is; every rating that protects is judged at the mains 10 % low and high, and at the hottest and the coldest room named here.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Add a box, and the parts whose size is known are placed in it.</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>design.figures_row</name>
    <message>
      <source>95 % of builds {0} … {1}</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>design.findings</name>
    <message>
      <source>Gives up first</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Heat</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Sizes</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Faults</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Variants</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Ways to do it</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Conditions</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Box</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Nothing to rank until the path joins up.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Faults are worked out once the path joins up.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>One fault at a time, at full load; ↑ more than a device stands, at the worst. F1: why.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>At full load of every output. Another design is set aside or proposed above the map.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>being worked out …</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>what the latest soak has shown is being worked out …</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>design.heat_view</name>
    <message>
      <source>Heat is worked out once the path joins up.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>θ and C as the latest soak has shown them.</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>design.ladder_view</name>
  </context>
  <context>
    <name>design.outline</name>
    <message>
      <source>the path</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>design.path_panel</name>
    <message>
      <source>The path</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>add: a part's name, or output NAME 12V 5A</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Enter puts it in after the link in hand; “and NAME” begins a branch there, or adds a source of its own; “or NAME” adds a source that may feed instead; Delete in the outline takes a link out</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>add a link after the one in hand</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>made of</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>design.sized_view</name>
    <message>
      <source>Choose a link of the path: what it is sized by is worked out here.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Nothing of this link is sized. Fuses, leads, units, converters and fans are.</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>design.stage</name>
    <message>
      <source>show this view of the output instead</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>at</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>operating point: amps, or volts and amps</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>load line</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>reach</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>No output yet</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>An output ends a path: what it must deliver decides the rest.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} of {1}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} {1} {2} · from the wall {3}{4} · nearest limit: {5}, {6}</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>design.variant_bar</name>
    <message>
      <source>the variant in hand</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>take this variant up; Delete drops it</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>set aside, go on as …</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>A name and Enter: the design is kept as it is, and you go on under this name</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>set the design aside and go on under a new name</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>variants worth comparing</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} is in hand; take up another one first.</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>dropped</name>
    <message>
      <source>{0} is kept with {1}.</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>guide_bar</name>
    <message>
      <source>guide</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>leave the guide</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} of {1} · {2}: {3}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>go to {0}, Alt+{1}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>put “{0}” there, Alt+G</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>that was the last</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>go on, Alt+G</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>job_header</name>
    <message>
      <source>All jobs, Ctrl+O</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Undo</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Do again</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Logbook, Ctrl+J</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Night or day, Alt+N</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Settings and about, Ctrl+,</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Bench view, Ctrl+B</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Hide or show the right column, F2</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>a demo: all of it is made up</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>nothing to {0}</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>job_window</name>
    <message>
      <source>Reading {0} …</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>reading line</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>The job is being read; what is typed stays.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} – Tensimeter</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>logbook_window</name>
    <message>
      <source>Logbook of {0}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Logbook</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>entries of the logbook, the newest first</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Take everything out …</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Job, readings, waveforms, attachments: JSON, CSV and files in a folder</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Save as Markdown …</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>words to look for</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>words to look for in the logbook</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>which {0}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>every kind</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>every link</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>every test</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} of {1} entries</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>No entry is like that.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} files written to {1}.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} can't be written: {1}. Choose another folder.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Written: {0}</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>manual_window</name>
    <message>
      <source>Tensimeter, manual</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>look for …</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>words to look for in the manual</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Manual</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>pages of the manual</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>page of the manual</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>notice_column</name>
    <message>
      <source>Reason: {0}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>hold: {0}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>overrule, with a reason …</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>reason, then Enter</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>reason to overrule {0}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>a hold needs a reason of some words</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>why?</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>copy</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>put away</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>before you go on</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Before you go on{0}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Nothing open here.</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>parts.form</name>
    <message>
      <source>none; a point is two figures, as 60=16</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>add {0}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>no {0}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>not known</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>no</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>yes</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>parts.heat_plot</name>
    <message>
      <source>temperatures and forecast</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>parts.margin_bar</name>
    <message>
      <source>{0}. {1}F1 or click: why?</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>parts.next_act</name>
    <message>
      <source>take the example “{0}”</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>go to {0}</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>parts.node_matrix</name>
    <message>
      <source>isolation and continuity matrix</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>beep</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>parts.picture_plot</name>
    <message>
      <source>plot of the test</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>parts.plots</name>
    <message>
      <source>{0}, as a table</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>load line</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>trace of volts</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>parts.reach_map</name>
    <message>
      <source>reach map; arrow keys move the operating point</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>parts.running_choice</name>
    <message>
      <source>Prove then asks for its own holds only; that Assemble and Wake were passed is written on the sheet</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>parts.step_entry</name>
    <message>
      <source>read the practice supply</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>read the voltmeter</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>type what it reads: {0}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>reading, {0}</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>parts.wave_view</name>
    <message>
      <source>waveform; + and − zoom, arrows pan, 0 shows all</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>allowed, {0} p-p</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>spectrum</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>one or two fast cycles of the waveform</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>parts.window_gauge</name>
    <message>
      <source>window gauge</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>path_strip</name>
    <message>
      <source>path strip</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>plate.claims_table</name>
    <message>
      <source>claimed and found</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>plate.face_view</name>
    <message>
      <source>middle, as 40,25</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>where the middle of the fitting is, mm</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>side of the box</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>width</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>height</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>thick</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>mm</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>face: {0}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>what the face is made of</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>inches</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>the dimensions on the template are in inches</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>draw it</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>it is meant in mm</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>kind of fitting</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>set it</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>what the design asks for</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>in a row</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>in a column</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>spread</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>centre</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>turn</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>take away</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Write it to</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>file of the template, .pdf, .svg, .dxf, or of its drill table, .csv</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Write the template</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>No {0} is drawn yet: type its size, as 220 and 90, or 9 in and 4 in, and draw it.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0:g} mm</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>“{0}” is no place; write it like 40,25 in mm.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} written, at 1:1.</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>plate.item_list</name>
    <message>
      <source>fittings of the face</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>plate.photo_row</name>
    <message>
      <source>a photo under it …</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>mark the {0} point</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>is at, as 0,0 mm</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>where the {0} point is on the face, mm</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>take the photo away</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>The {0} point is marked; type where it is on the face.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>A place on the face is written like 40,25 in mm.</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>plate.plate_view</name>
    <message>
      <source>Write it to</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>file of the plate, .pdf, .svg or .dxf</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Write the plate</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>how much of it</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>plate: {0}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>engraved</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>letters of single lines, as a graver or a pen follows them</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>For a fuller plate: {0}.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} written, at 1:1.</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>plate.sheet_view</name>
    <message>
      <source>data sheet preview</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>The sheet was not laid out. Come here again, or write it, to have it made.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>page {0} of the data sheet</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>plate.stage</name>
    <message>
      <source>the sheet is being laid out</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>cancel</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>What labels and outlets claim, and what was read: the most amps with the volts in their band, where they fall, and the charge of a battery or bank. A click on a heading sorts by it.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Proven so far</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>keep in the bin as proven</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Other jobs can then use it as a source, with what was shown of it</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Write the sheet to</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>file of the data sheet, .pdf or .html</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Write PDF</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Write HTML</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>a photo for the sheet …</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>PNG or JPEG, printed at the end of the sheet and kept in the job</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Proven so far, judged anew …</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Nothing is proven yet: read a test in Prove first.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Kept in the bin: {0}.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Nothing is proven yet.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>It is being laid out; then it is written.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} written.</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>prove.bench_view</name>
    <message>
      <source>bench view</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>type the volts, Space takes them</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>volts read; Space takes them</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Space takes the reading · Ctrl+B goes back · Esc drops the load</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>No test is planned yet.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Step {0} of {1} · {2}: {3}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0}allowed {1}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Space: it is done</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0}, settling</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>not measured</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>allowed {0} … {1}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>type what it reads, Space takes it</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} Space again keeps it.</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>prove.campaign_panel</name>
    <message>
      <source>Campaign</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>tests of the campaign</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Delete takes a test out; its readings stay</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Plan every test</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>What the outputs, the policy and the instruments in stock allow, in order</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>add a test for the output in hand</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>add a test …</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Measured with</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>what measures</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>meter in hand</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>path of a bench file</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>I stay with the load</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Asked because this load has no watchdog</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Start the run</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Run all that is open</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Pause</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Pass this point over</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Begin anew</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Sound at each point</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Instruments …</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>See who answers, and which does what</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>samples a second, 10M</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>samples a second of a waveform that has no times</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Take in a file …</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>A log with volts and amps, or a waveform in CSV or NumPy; or drop it here</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} test{1}, {2}, {3:.1f} Wh</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Go on, {0} open</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Go on</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Pause, load off</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>plain handheld, 0.5 % + 2, assumed</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} samples of {1} kept.</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>prove.conversation</name>
    <message>
      <source>over the link: → sent, ← come</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>bytes that went over the link</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>a question to send, as it stands in its manual</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>a line to send</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>send</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>It is sent as typed: send questions only, nothing that switches an output or a load on.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>The link was lost: {0}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Its link is not open yet; nothing was sent.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>It was not sent: {0}</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>prove.equipment_view</name>
    <message>
      <source>Propose the best in stock</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>What reaches the amps, and what reads finest at the heaviest output</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>wires to the voltmeter</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>four: the voltmeter's own pair at the terminals</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>two: the load's lead is read with it</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>wires</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Ω of both legs, where two wires read</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>ohms of the lead</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>lead</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>prove.instruments_window</name>
    <message>
      <source>Instruments</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Which instrument does what</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Type an address (127.0.0.1:5025), a port (/dev/ttyUSB0) or a VISA resource, or pick one that answered. They are asked who they are and nothing else.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Ask who is there</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>who answered; Enter puts it into the role last touched</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>bench file</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>kept as</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Use this bench</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>no card of the stock</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>none</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>where the {0} is</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>profile of the {0}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>try it</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Send each command of the profile but those that switch something on</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>make one …</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Make a profile from what it says</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>make a profile of the {0}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Asking …</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} answered.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Nobody answered: type where one is, and ask again.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Type where the {0} is first.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Trying …</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} commands do not fit.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Every command that was tried fits.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>The profile {0} was kept; it is used for the {1}.</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>prove.log_columns</name>
    <message>
      <source>Say which column holds volts, and which amps.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Say which column holds times, and at which place each temperature was read.</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>prove.log_window</name>
    <message>
      <source>Take in {0}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>What is in which column?</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>as it looks</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>amps the other way round</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>first rows of the log, in SI units</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} is</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Two columns are taken for {0}; only one can be.</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>prove.now_panel</name>
    <message>
      <source>Now</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>not measured</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Done, go on</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>No test is planned yet.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} {1} of {2}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>settling</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>prove.profile_window</name>
    <message>
      <source>Profile of the {0}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>What it says, and what is read from it</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>how it talks</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>its display shows</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>what its display shows now</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>where that figure may stand; Enter takes one</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>the profile, as it is kept</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>text of the profile</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>try it</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Read what the profile names; nothing is switched on</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>kept as</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>name of the profile</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Keep and use it</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>The profile can't be read: {0}.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>It can be used. Try it before it is kept.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Its registers were not read: {0}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Reading …</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} registers were read; {1} ways fit what it shows.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Trying …</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>It does not fit: {0}: {1}.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>It can be used: everything that was tried fits.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>A profile is kept by a plain name, such as my-meter.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>There is a profile {0} already; once more puts this in its place.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} can't be written: {1}.</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>prove.readings_view</name>
    <message>
      <source>why it is taken back, e.g. a slip of the decimal point</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>why the chosen readings are taken back</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Strike</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Del: it stays visible, struck through, and enters no figure any more</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>of every test</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>where the chosen readings shall count</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Let what is chosen count there; as it was read</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>readings as they were kept</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} older ones are in the file.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>move to …</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>step {0}: {1}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>no test</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Choose a reading first.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Choose a reading first; one that is struck stays struck.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Say in a few words why; it stays beside what is struck.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>a beep</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>prove.setup_view</name>
    <message>
      <source>what is allowed of its output, wherever it is judged</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>changed: {0}, {1}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>what was changed before the next run, e.g. pad reseated</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>what was changed before the next run</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>prove.stage</name>
    <message>
      <source>Points</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>What it gives</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Readings</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Set-up</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>With what</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>All runs of this test over one another, as rise over the room</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>steps of the test</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>This test can't be planned</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Nothing to prove yet</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>reading_line</name>
    <message>
      <source>reading line</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>reading, e.g. {0}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>what stands for the next line</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>stands for the next line; @2A, @unloaded, set 12V, mains 207V or room 31C change it</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Tab: {0}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Enter keeps it · Shift+Enter writes a remark · Ctrl+L comes here</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} Enter again keeps it.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>kept: {0} → {1}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>kept; {0}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Enter again writes it down as a remark. {0}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Enter says that it is so: {0}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>remark written into the logbook</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>settings_window</name>
    <message>
      <source>Settings and about</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Settings</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>They hold for every job, from now on.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>decimal mark</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>as the system has it</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>English</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>language, from the next start</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>mains of new jobs</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>a sound at each point of a run</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>the desktop tells when a run ends or hands are wanted</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>new jobs are kept in</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>VISA library</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>About</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>day or night</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>paper</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>night</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>size of the text</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>choose …</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>choose: {0}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>There is no such folder; the one before is used.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>copy this</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>stage_buttons</name>
    <message>
      <source>Alt+{0}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0}; Alt+{1}</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>start_page</name>
    <message>
      <source>Ctrl+L</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>type a reading, such as mount 13.58V @4A</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Esc</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>drop the load, from anywhere, at once</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>why? The formula and the figures behind what has the focus</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Ctrl+B</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>bench view: figures to be read from two metres</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Alt+1 … Alt+7</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>the stages, from Stock to Plate</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Tensimeter</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>What does your supply really deliver? Design it or just read it; what it has shown is what you may print on its front.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>A supply I have already</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Its name and its nameplate; then type what you read. Two readings give its resistance and regulation.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>name, e.g. Shed bench supply</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>nameplate, e.g. 12V 5A</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>what it is</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>bought, and never opened</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>repaired, or opened</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>with a mains side of my own</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Begin with readings</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>A supply I want to build</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Its name; then what is in the bin, and how it is joined.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>name, e.g. Mount supply</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Begin with the stock</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Recent jobs</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>recent jobs</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>None yet.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Open a job file …</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Show me: a first supply, step by step</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Open the demo: {0}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Keys worth knowing</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>stock.beside_panel</name>
    <message>
      <source>compare with</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Nothing of its kind to compare it with. Duplicate it, or type another nameplate.</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>stock.bode_plot</name>
    <message>
      <source>Loop gain and phase over frequency: {0}</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>stock.editor</name>
    <message>
      <source>Figures</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Dead or alive</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Beside</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Photos</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>from the label</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>from the seller</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Choose a card to see and change its figures, to try it, or to compare it.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>fit its rails from load cases …</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>A CSV table with columns v NAME and i NAME of each rail, a row a load case</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>figures typed here are</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>where figures typed here come from</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>efficiency: its losses are fitted from it</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0}   take out</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>output volts, amps, per cent: 12V 5A 92%</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>efficiency to fit the losses from</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} moves most: {1} by each ampere on {2}.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>in the bin since {0}{1}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>take its figures from the bin</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>no longer in the bin</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} is out of the bin; this job keeps its card.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} is kept in the bin; other jobs can take it from there.</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>stock.incoming_panel</name>
    <message>
      <source>There is nothing to try on it by itself.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>type what it reads: {0}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>reading, {0}</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>stock.library_box</name>
    <message>
      <source>add from the library …</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>add from the library</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>stock.marked_photo</name>
    <message>
      <source>photo {0}; arrows choose a place to mark</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>mark a place: trim, test point, connector</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>what is at the marked place</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0}  {1}   take off</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Click where something is, then write what.</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>stock.photos</name>
    <message>
      <source>take {0} away</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>add a photo or a manual …</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Or drop a PNG, JPEG or PDF here. Its label, its trims, its connectors: what you will ask later.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} (PDF, kept in the job file)</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} is kept, but can't be shown</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} is out of sight; the file keeps it.</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>stock.stage</name>
    <message>
      <source>nameplate (24V 6.3A 150W), or a name</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>nameplate, or a part of the library by name</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>The bin is empty. What you have is typed above, an Enter each; loads and meters come from the list beside it.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} Or name a part of the list beside it.</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>stock.worked_out</name>
    <message>
      <source>what follows from its circuit</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>being worked out …</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>tune.causes_view</name>
    <message>
      <source>Causes</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>take it into the design</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>prediction, reach, ladder and plate follow; it can be taken back once mended</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>what was read less what the design foretells, reading by reading</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>mended: {0}, {1}</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>tune.changes_view</name>
    <message>
      <source>Before and after</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>both runs</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>No test was gone through twice yet</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Change one thing, then read the same steps again: what it did is told here, and how sure that is. A run of instruments counts as one; of what is typed a new one begins where a step is read again.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0}: {1} and {2}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>In between: {0}.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Nothing was noted in between.</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>tune.contacts_view</name>
    <message>
      <source>Contacts</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>ohms of each place, of the most that it may have</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Nothing was read along the path yet</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Load an output, put both probes across one lead or one joint, and type the millivolts with the amps. Of a lead both legs count together; its joints are its lugs, crimps and screws.</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>tune.displays</name>
    <message>
      <source>Displays</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>displays that were read beside a reference</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>It lets you set</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>what can be set in the display</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>what stands in it now</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>in steps of</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>any; 10m, 0.1%</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>smallest step of what is set</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>keep this check</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>from now on its readings are put right by it, and carry its uncertainty</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>good for 12 months</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>months that the check is good for</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>earlier readings too</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>forget the check</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>No display was read beside a meter yet</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Nothing to tune yet</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>What the supply's own display shows is typed below, beside the meter's reading.</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>tune.fan_view</name>
    <message>
      <source>Fan</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Parts stay below their limits by</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>kelvin that every part stays below its limit</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>write the curve …</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>as a table (.csv), or as a C array (.c, .h)</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>hottest part at its worst over the fan's volts</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>No fan to tune yet</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>The curve is in {0}.</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>tune.stage</name>
    <message>
      <source>read it on the demo supply</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>what is asked for here is read on the simulated supply, and marked as that</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Nothing more is asked for here.</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>tune.symptoms_view</name>
    <message>
      <source>Symptoms</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>What is seen</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>note it, and begin anew</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>what was seen and what it points at goes to the logbook; a part was changed</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>For what volts along the path don’t explain. How likely a symptom is by each part at fault is a rule of thumb, stated in the program. Mains off and reservoirs empty before a hand goes in.</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>tune.trims_view</name>
    <message>
      <source>Trims</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>A trim</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>its name: front end, volts</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>name of a trim</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>moves</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>what it moves</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} to its stop</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>name it</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>sealed</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>set, and sealed with a drop of paint; noted in the logbook</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>its scale …</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>of a knob: ticks where the readings say that its round values are, at 1:1</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>forget it</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>No trim is named yet</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Name each screw and what it is there for. Then read, turn one a little, type how far it then stands from where it was (“front-end-volts 0.12 turn”), and read again: how far to turn which follows, with play, stops, and what each moves of the others.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>All hold</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} trims</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Nothing is there yet that a trim could move: draw an output first.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>The scale is in {0}, at 1:1.</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>tune.view</name>
  </context>
  <context>
    <name>wake.settings_register</name>
    <message>
      <source>Settings register</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>wake.stage</name>
    <message>
      <source>First power</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>steps of first power</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>before first power stands</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>what stands before first power</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>practise on the simulated supply</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>no, this is the real one</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>put together rightly</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>with a hidden mistake</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>with another mistake</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>bench file, if a meter is to read</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>bench file whose voltmeter reads</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>looked over, all of it</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Nothing to wake yet</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>The steps follow from a design: join a source and what it feeds in Design first.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Probe {0}.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Stop: {0}</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Measured against an earlier design: it is judged anew here. Read it again if in doubt.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>It usually means, the likeliest first:</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>window</name>
    <message>
      <source>Drop load      Esc, from anywhere</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>{0} – Tensimeter</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Dropping the load …</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>NOT CONFIRMED OFF. {0} Click once it is.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Load off, confirmed by its amps</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>The manual; with a figure in hand F1 shows how it came about.</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>NOT CONFIRMED OFF. {0} Close again to leave all the same.</source>
      <translation type="unfinished" />
    </message>
  </context>
  <context>
    <name>core</name>
    <message>
      <source>holds</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>not measured</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>too close to call</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>misses</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Stock</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Design</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Assemble</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Wake</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Prove</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Tune</source>
      <translation type="unfinished" />
    </message>
    <message>
      <source>Plate</source>
      <translation type="unfinished" />
    </message>
  </context>
</TS>
