package bargelane.api;

import java.util.List;

/**
 * An estate file to compare with what stands, or to take over.
 *
 * @param yaml the text of the file (docs/formats/estate.md)
 * @param only sections of it: sites, timetables, labels, lanes, waves; all where it is left out
 * @param take what becomes of what both the file and somebody else have changed: file or service;
 *     left out, it is told and nothing is done
 * @param state of a comparison: nothing is done if anything has changed since
 */
public record EstateImport(String yaml, List<String> only, String take, String state) {

  /** Characters of a file at most. */
  public static final int LONGEST = 4 << 20;
}
