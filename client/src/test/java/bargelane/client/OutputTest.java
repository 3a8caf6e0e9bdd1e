package bargelane.client;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.io.PrintWriter;
import java.io.StringWriter;
import java.util.List;
import org.junit.jupiter.api.Test;

class OutputTest {

  private record Row(String name, Integer n, long size) {}

  private static String said(Output.Form form, Row... rows) {
    StringWriter out = new StringWriter();
    Output.rows(
        new PrintWriter(out, true),
        form,
        List.of(rows),
        "Nothing. Add one.",
        Output.text("NAME", Row::name),
        Output.number("N", Row::n),
        Output.bytes("SIZE", Row::size));
    return out.toString();
  }

  @Test
  void columnsAlignAndNumbersStandRight() {
    assertEquals(
        "NAME     N    SIZE\n" + "short    5    512B\n" + "longer  10  1.5KiB\n",
        said(Output.Form.table, new Row("short", 5, 512), new Row("longer", 10, 1536)));
  }

  @Test
  void anEmptyTableSaysWhatToDo() {
    assertEquals("Nothing. Add one.\n", said(Output.Form.table));
  }

  @Test
  void csvQuotesWhatMustBeQuoted() {
    assertEquals(
        "name,n,size\r\n\"a \"\"b\"\", c\",1,0B\r\n",
        said(Output.Form.csv, new Row("a \"b\", c", 1, 0)));
  }

  @Test
  void aCellIsNeverAFormulaAndANumberStaysOne() {
    assertEquals(
        "name,n,size\r\n'=cmd|' /C calc'!A0,-5,0B\r\n",
        said(Output.Form.csv, new Row("=cmd|' /C calc'!A0", -5, 0)));
    assertEquals("name,n,size\r\n'@x,1,0B\r\n", said(Output.Form.csv, new Row("@x", 1, 0)));
  }

  @Test
  void whatAMachineCallsItselfCommandsNoTerminal() throws Exception {
    String name =
        ApiClient.<Row>as(
                ApiClient.JSON.readTree(
                    "{\"name\":\"\\u001b[2Jx\\u0007\\r\\u009b31m\\u202eabc\\tü\\n\"}"),
                ApiClient.JSON.constructType(Row.class))
            .value()
            .name();
    assertEquals("\u241b[2Jx\u2407\u240d\ufffd31m\ufffdabc\tü\n", name);
    assertEquals("ends\nso\n", Output.shown("ends\r\nso\n"));
  }

  @Test
  void sizesUseBinaryUnits() {
    assertEquals("1023B", Output.size(1023));
    assertEquals("215MiB", Output.size(225_337_344));
    assertEquals("4GiB", Output.size(4L << 30));
  }

  @Test
  void whatIsMissingIsADash() {
    assertEquals("NAME  N  SIZE\n-     -    0B\n", said(Output.Form.table, new Row(null, null, 0)));
  }
}
