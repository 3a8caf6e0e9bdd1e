package bargelane.core.finding;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.core.finding.Finding.Code;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Arrays;
import java.util.Comparator;
import org.junit.jupiter.api.Test;

/** The catalogue of findings, and its page. */
class FindingCodesTest {

  @Test
  void eachSaysWhatItMeansAndWhatIsDone() {
    for (Code code : Code.values()) {
      for (String sentence : new String[] {code.meaning(), code.advice()}) {
        assertTrue(sentence.matches("[A-Z].*[.]"), code + ": " + sentence);
        assertTrue(sentence.length() < 120, code + ": " + sentence);
      }
    }
  }

  @Test
  void thePageInTheDocumentationIsOfThisBuild() throws IOException {
    StringBuilder page = new StringBuilder();
    page.append("# Findings\n\n");
    page.append(
        "Made by `FindingCodesTest` from the one catalogue that checks, assessments, preflight and gates speak in. ");
    page.append(
        "`bargelane finding show CODE` tells the same, and each has a page with what to type.\nOne that blocks keeps what it is found for from going on.\n\n");
    page.append("| code | blocks | what it means | what is usually done |\n|---|---|---|---|\n");
    Arrays.stream(Code.values())
        .sorted(Comparator.comparing(Code::text))
        .forEach(
            c ->
                page.append("| [`")
                    .append(c.text())
                    .append("`](findings/")
                    .append(c.text())
                    .append(".md) | ")
                    .append(c.blocks() ? "yes" : "")
                    .append(" | ")
                    .append(c.meaning())
                    .append(" | ")
                    .append(c.advice())
                    .append(" |\n"));
    Path kept = Path.of("../docs/findings.md");
    String now = Files.exists(kept) ? Files.readString(kept) : "";
    if (!now.equals(page.toString())) {
      Files.writeString(Path.of("target/findings.md"), page);
    }
    assertEquals(page.toString(), now, "cp core/target/findings.md docs/findings.md");
  }
}
