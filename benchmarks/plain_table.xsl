<?xml version="1.0"?>
<xsl:stylesheet version="1.0" xmlns:xsl="http://www.w3.org/1999/XSL/Transform">
  <xsl:output method="html" encoding="utf-8"/>
  <xsl:template match="/">
    <html><body><table>
      <xsl:for-each select="//testcase">
        <tr>
          <td><xsl:value-of select="@classname"/></td>
          <td><xsl:value-of select="@name"/></td>
          <td><xsl:value-of select="@time"/></td>
          <td>
            <xsl:choose>
              <xsl:when test="failure"><pre><xsl:value-of select="failure"/></pre></xsl:when>
              <xsl:when test="skipped">skipped</xsl:when>
              <xsl:otherwise>passed</xsl:otherwise>
            </xsl:choose>
          </td>
        </tr>
      </xsl:for-each>
    </table></body></html>
  </xsl:template>
</xsl:stylesheet>
