package bargelane.e2e;

import static org.junit.jupiter.api.Assertions.assertEquals;

import bargelane.api.Remedy;
import bargelane.client.Remedies;
import bargelane.core.finding.Action;
import bargelane.core.finding.Finding.Code;
import bargelane.core.finding.Finding.Who;
import bargelane.core.finding.Guide;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;

/** A page for each finding, with what to type, made from the one catalogue. */
class FindingPagesTest {

  private static final Map<Who, String> WHO =
      Map.of(
          Who.ENGINEER, "The engineer who runs the migration.",
          Who.SITE_OWNER, "Whoever owns the site, or the machine.",
          Who.SERVICE, "The service itself, in time.");

  private static String page(Code code) {
    Guide guide = Guide.of(code);
    StringBuilder page = new StringBuilder("# `" + code.text() + "`\n\n");
    page.append(
        code.blocks()
            ? "What it is found for does not go on until it is mended.\n\n"
            : "A note: what it is found for goes on all the same.\n\n");
    page.append("**Cause.** ").append(code.meaning()).append(" The finding names the thing.\n\n");
    page.append("**Remedy.** ").append(code.advice()).append("\n\n");
    page.append("**Who can.** ").append(WHO.get(guide.who())).append('\n');
    if (!guide.actions().isEmpty()) {
      page.append("\n**Type.**\n\n");
      for (Action action : guide.actions()) {
        page.append("    ")
            .append(Remedies.text(new Remedy("", action.word(), List.of())))
            .append('\n');
      }
    }
    return page.append("\n[All findings](../findings.md)\n").toString();
  }

  @Test
  void thePagesInTheDocumentationAreOfThisBuild() throws IOException {
    Map<String, String> made = new TreeMap<>();
    for (Code code : Code.values()) {
      made.put(code.text() + ".md", page(code));
    }
    Path folder = Path.of("../docs/findings");
    Map<String, String> kept = new TreeMap<>();
    if (Files.isDirectory(folder)) {
      try (Stream<Path> files = Files.list(folder)) {
        for (Path file : files.toList()) {
          kept.put(file.getFileName().toString(), Files.readString(file));
        }
      }
    }
    if (!made.equals(kept)) {
      Path target = Files.createDirectories(Path.of("target/findings"));
      for (Map.Entry<String, String> e : made.entrySet()) {
        Files.writeString(target.resolve(e.getKey()), e.getValue());
      }
    }
    assertEquals(made, kept, "rm -r docs/findings; cp -r e2e/target/findings docs/");
  }
}
