package bargelane.client;

import static org.junit.jupiter.api.Assertions.assertEquals;

import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.io.PrintWriter;
import java.io.StringWriter;
import org.junit.jupiter.api.Test;

class OutputTest {

  private static String said(Output.Form form, String json) throws IOException {
    StringWriter out = new StringWriter();
    JsonNode rows = ApiClient.JSON.readTree(json);
    Output.rows(
        new PrintWriter(out, true),
        form,
        rows,
        "Nothing. Add one.",
        Output.text("NAME", "name"),
        Output.number("N", "n"),
        Output.bytes("SIZE", "size"));
    return out.toString();
  }

  @Test
  void columnsAlignAndNumbersStandRight() throws IOException {
    assertEquals(
        "NAME     N      SIZE\n" + "short    5     512 B\n" + "longer  10  1.50 KiB\n",
        said(
            Output.Form.table,
            "[{\"name\":\"short\",\"n\":5,\"size\":512},{\"name\":\"longer\",\"n\":10,\"size\":1536}]"));
  }

  @Test
  void anEmptyTableSaysWhatToDo() throws IOException {
    assertEquals("Nothing. Add one.\n", said(Output.Form.table, "[]"));
  }

  @Test
  void csvQuotesWhatMustBeQuoted() throws IOException {
    assertEquals(
        "name,n,size\r\n\"a \"\"b\"\", c\",1,0 B\r\n",
        said(Output.Form.csv, "[{\"name\":\"a \\\"b\\\", c\",\"n\":1}]"));
  }

  @Test
  void sizesUseBinaryUnits() {
    assertEquals("1023 B", Output.size(1023));
    assertEquals("215 MiB", Output.size(225_337_344));
    assertEquals("4.00 GiB", Output.size(4L << 30));
  }

  @Test
  void whatIsMissingIsADash() throws IOException {
    assertEquals("NAME  N  SIZE\n-     -   0 B\n", said(Output.Form.table, "[{\"name\":null}]"));
  }
}
